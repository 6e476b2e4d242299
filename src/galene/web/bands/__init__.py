"""Known-good bands of a family: samples, entry, how they moved."""

"""Engine families: read, edited, taken in."""

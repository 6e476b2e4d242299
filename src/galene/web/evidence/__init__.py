"""The before set: readings, looks, bores."""

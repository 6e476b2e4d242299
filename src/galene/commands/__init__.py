"""What the command line starts."""

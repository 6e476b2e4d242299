"""The ranking of causes and the next check."""

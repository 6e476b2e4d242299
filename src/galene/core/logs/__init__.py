"""Logs over time: channels, plateaus, rows of a text."""

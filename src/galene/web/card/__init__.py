"""The job card, and what it sends."""

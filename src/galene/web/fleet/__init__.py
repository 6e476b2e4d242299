"""The fleet: what is due when, and calendars of it."""

"""Today: who does what, what waits, what is due."""

"""The workshop itself: its people and their hours."""

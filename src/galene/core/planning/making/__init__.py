"""The pieces of a planning: each does one thing to the record that they pass on."""

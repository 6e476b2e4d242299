"""Each calculation live, with its drawing."""

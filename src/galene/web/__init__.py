"""Pages and JSON routes. Everything that decides lives below, in the use cases and the core."""

"""Pages, one module per view."""

"""JSON routes under /api/v1. The calculations hold no workshop data, so they answer without sign-in."""

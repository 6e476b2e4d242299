"""JSON routes under /api/v1. They judge what is sent and hold no jobs, so they answer without
sign-in."""

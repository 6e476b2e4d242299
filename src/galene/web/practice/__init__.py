"""The workshop's own procedures, policy and what it has learned."""

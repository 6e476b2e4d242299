"""Signing in, and how this browser shows pages."""

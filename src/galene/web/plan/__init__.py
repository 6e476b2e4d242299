"""Scope, kinds of work, layers, time and price."""

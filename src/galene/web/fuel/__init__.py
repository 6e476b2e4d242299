"""Fuel of a vehicle."""

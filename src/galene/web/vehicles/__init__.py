"""Vehicles and their lives; where a part sits."""

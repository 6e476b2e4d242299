"""Agents and parts on the shelf, and what may touch what."""

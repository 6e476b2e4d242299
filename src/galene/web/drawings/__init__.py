"""Geometry for the SVG drawings: numbers only, the templates turn them into lines."""

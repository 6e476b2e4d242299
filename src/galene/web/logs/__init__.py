"""Logs of a scan tool: their columns, segments and strips."""

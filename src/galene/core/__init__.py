"""The job's rules and computation: pure functions and frozen records, no clock, no database, no
web."""

"""The use cases, one module per stage. Each write takes an `Act`: who, when, and the database's
session."""

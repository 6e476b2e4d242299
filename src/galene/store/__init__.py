"""The database: models, sessions, migrations. Gives and takes core objects and plain values."""

"""The calculations, one a file; `catalogue` holds them all by their contract names."""

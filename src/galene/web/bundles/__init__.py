"""Jobs out as bundles and in again."""

"""The engine family: its air path, access, threads; faults of its document."""

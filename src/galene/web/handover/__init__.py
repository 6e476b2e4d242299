"""The cause, the advice, the signature, the report."""

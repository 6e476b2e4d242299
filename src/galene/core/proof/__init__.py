"""What proves the gain: metrics of both sides, relearns, the next visit."""

"""What a workshop learns from its own finished work: growth of deposits, known-good bands."""

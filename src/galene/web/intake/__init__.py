"""A new job and its intake: vehicle, complaint, symptoms, codes."""

"""Pictures of a job."""

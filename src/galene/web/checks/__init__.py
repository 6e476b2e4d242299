"""A check as a worksheet on a job."""

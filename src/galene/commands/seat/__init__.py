"""The driver's seat of the demo's simulated cars, and the process in which they run."""

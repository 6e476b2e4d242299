"""The card as a proven plan: the model of the car, the planner, what answers change, the
verifier."""

"""The card as a proven plan: the model of the car, the planner, what answers change, the verifier.

`car` is what is mounted, open, wet, drained, powered; a step says what of it it needs and does.
`chain` makes steps of a procedure's templates, `openings` derives from the family what lies in the
way and which mouths need a cover, `tail` ends the plan by the state that is left, `planner` orders
it all, longest wait first. `verify` knows no planner: it walks a plan over the car and names every
rule that does not hold. `answers` reads what the steps done have changed; the planner goes on from
there.
"""

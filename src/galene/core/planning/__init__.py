"""The card as a proven plan: the model of the car, the planner, what answers change, the verifier.

`car` is what is mounted, open, wet, drained, powered; a step says what of it it needs and does.
`chain` makes steps of a procedure's templates (`touched` their places on this car, `amounts` what
is drawn in, `repeats` what is done once more), `openings` derives from the family what lies in the
way and which mouths need a cover, `tail` ends the plan by the state that is left (`relearns_due`
what must be learned anew), `planner` orders it all, longest wait first; its pieces are in `making`,
where `known` keeps what a case alone decides. The words of shared steps are in `steps`,
`hand_steps`, `cover_steps`, `ends`. `verify` and `laws` know no planner: they walk a plan over the
car and name every rule that does not hold. `answers` reads what the steps done have changed; the
planner goes on from there.
"""

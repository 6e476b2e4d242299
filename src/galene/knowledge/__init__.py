"""The trade's facts as typed data, and what follows from them alone. Imports nothing but the core.

Causes, evidence, checks and codes; agents, methods, procedures and relearns; hazards, cautions and
their sources; the six shipped families in `families`. `treatment` turns a part's work, grade and
policy (the shop's, over it the maker's, over that the job's own) into a procedure, `bill` says what
a plan costs, `proving` which tests prove a cause mended, `plan_document` what a kept plan holds.
"""

"""The job's rules and computation: pure, no clock, no database, no web.

A folder a subject: `calculations` (formulas, one a file), `airpath` (an engine family, what must
come off to reach a part, faults of its document), `diagnosis` (cause, next check, order of repair),
`chemistry` (what may touch what), `planning` (the card as a proven plan), `jobcard` (what may be
entered on it), `proof`, `learning` (what signed jobs teach), `logs`, `workshop`.
"""

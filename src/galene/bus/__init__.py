"""A car on a bus: what stands in frames, who answers, who asks.

`obd`, `codes` and `j1939` are the public scalings, pure; the maker's own identifiers are data of
the engine family. `unit` is a simulated car's control unit, `station` puts it on a bus, `tester`
asks whatever answers there, over the same `line`; it knows nothing of a simulation.
"""

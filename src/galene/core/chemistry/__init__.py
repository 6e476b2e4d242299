"""What may touch what: rules over the properties of an agent and the features of a part.

`judge` asks every rule of the list in `rules`; they stand by what they speak of in `sensor_rules`,
`material_rules` and `engine_rules`, and share the kinds and states of `kinds`.
"""

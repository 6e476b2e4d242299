"""From evidence to cause: records, exact posterior, next best check, order of repair.

`assess` ranks causes and weighs checks by their bits a minute; a danger (`knowledge.dangers`) comes
before any ranking. `inference` and `measured` say what readings and looks show by themselves,
`live_stands` what the newest figures of a car on the line name.
"""

"""From evidence to cause: records, exact posterior, next best check, order of repair.

`model` holds every set of causes and the belief that evidence leaves, `next_checks` weighs checks
by their bits a minute, `repair_order` what to mend first, `assess` joins them; a danger
(`knowledge.dangers`) comes before any ranking. `inference` and `measured` say what readings and
looks show by themselves, `live_stands` what the newest figures of a car on the line name.
"""

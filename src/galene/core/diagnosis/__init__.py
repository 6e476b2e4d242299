"""From evidence to cause: records, exact posterior, next best check, order of repair."""

"""The use cases. Each write takes an `Act`: who, when, and the database's session.

A module a stage (`intake`, `evidence`, `diagnosis`, `checks`, `plan`, `work`, `prove`, `handover`),
what a card sends (`entries`, `jobcard`, `card`), the car on the line (`live_*`), what is learned
and told of many jobs (`bands`, `growth`, `minutes`, `fuel`, `fleet`, `spares`), the workshop
(`people`, `signing_in`, `workshop`, `backups`), what goes out and comes in (`bundles_out`,
`bundles`, `families`, `templates`).
"""

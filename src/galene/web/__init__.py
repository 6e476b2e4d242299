"""Pages and JSON routes. Everything that decides lives below, in the use cases and the core.

A folder a feature with its routes, view records, templates, drawings and scripts; `shared` holds
visits, forms, guards, news, the drawing of the air path and components one a file; `api` the open
routes, which compute in processes of their own.
"""

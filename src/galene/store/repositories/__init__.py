"""All that is asked of the database, by subject: one module for each, named by what it fetches.

Use cases and routes hold no statement of their own; what they change, they change on the rows that
these functions give them.
"""

"""The database: models, sessions, migrations. Gives and takes core objects and plain values.

`repositories` hold every statement; `codec` reads and writes records in JSON columns and brings
older shapes up; `cluster` is the private PostgreSQL with its two accounts; `backup`, `vault`
(sealed secrets), `pictures` by content hash in a folder or a bucket (`objects`), `job_document` (a
job's rows as one document and back).
"""

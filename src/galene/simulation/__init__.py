"""A simulated vehicle: an engine with its control unit and sensors, for rehearsal and for tests.

Pure: no clock, no database, no web; one seed makes one run.
"""

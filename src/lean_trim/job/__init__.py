"""The job file: one SQLite database holding a vehicle and its rounds."""

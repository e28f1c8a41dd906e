"""A round proved by the drive after it."""

"""The whole path from logs to a correction."""

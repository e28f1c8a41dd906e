"""The log as a strip."""

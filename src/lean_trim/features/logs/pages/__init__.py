"""The Logs page."""

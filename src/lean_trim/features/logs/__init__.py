"""Logs of a round: their page, and what was understood of a log."""

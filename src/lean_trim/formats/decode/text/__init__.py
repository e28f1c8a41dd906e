"""Delimited text: how it is laid out, and its cells as numbers."""

"""A running car recorded."""

"""A job kept as open formats."""

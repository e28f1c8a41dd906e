"""Does a log mean what its columns are taken for: what an engine's physics says of each channel."""

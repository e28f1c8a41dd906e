"""Which minutes of the next drive are worth most, and which may be driven."""

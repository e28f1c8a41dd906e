"""Shifting the target of a closed loop that cannot be re-mapped, by what its oxygen sensor is made to say."""

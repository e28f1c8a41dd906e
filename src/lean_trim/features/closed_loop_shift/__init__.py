"""Shifting the target of a closed loop that cannot be re-mapped."""

"""The simulated car without a window."""

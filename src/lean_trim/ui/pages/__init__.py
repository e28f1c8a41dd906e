"""The pages of the margin."""

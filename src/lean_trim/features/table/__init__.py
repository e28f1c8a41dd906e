"""The Table desk, its pages, and the command that corrects a table."""

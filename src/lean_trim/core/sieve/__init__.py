"""Rules that leave samples out, with reasons."""

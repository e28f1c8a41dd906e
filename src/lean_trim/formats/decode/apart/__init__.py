"""Readers that run in a process of their own, because damaged files can kill or exhaust what reads them."""

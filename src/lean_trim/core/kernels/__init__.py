"""Compiled loops over samples, cells and fuel."""

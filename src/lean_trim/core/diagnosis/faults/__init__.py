"""Faults that can be looked for, a few alike to a file; each is registered in ``findings.FAULTS``."""

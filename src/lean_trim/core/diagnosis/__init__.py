"""Faults that are not airflow, and what had to be inferred."""

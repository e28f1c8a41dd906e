"""Lean Trim: correct an engine's airflow table and injector data from ordinary drive logs."""

__version__ = "0.1.0"

"""The only place that reads or writes outside formats."""

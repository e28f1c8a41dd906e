"""The report as painted pages."""

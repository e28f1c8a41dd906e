"""The form in which a running log is kept while it is recorded, and what it is written to afterwards."""

"""The airflow table and the decision beneath it."""

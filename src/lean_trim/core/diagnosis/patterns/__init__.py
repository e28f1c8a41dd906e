"""Shapes of what a drive asks for that are not the airflow table's own."""

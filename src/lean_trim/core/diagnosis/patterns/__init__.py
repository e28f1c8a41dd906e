"""Shapes of what a drive needs that are not the airflow table's own."""

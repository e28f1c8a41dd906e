"""Fuel trims a self-learning ECU kept over a grid, as evidence of little trust about the airflow table."""

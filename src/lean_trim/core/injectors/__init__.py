"""Injector data: flow, dead time and airflow told apart, and the tables that follow."""

"""The desk on which cells are decided: the airflow table as balance tiles, and the decision beneath it."""

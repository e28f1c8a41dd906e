"""Quick changes, wall film, warm-up and idle, and the tables that hold what they need."""

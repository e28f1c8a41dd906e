"""The Vehicle desk: what the car is, its tables, its injectors as entered."""

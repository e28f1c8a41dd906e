"""A round as a report for the customer or one's own file."""

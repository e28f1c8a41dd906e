"""Pages of the Table desk."""

"""The Plan desk."""

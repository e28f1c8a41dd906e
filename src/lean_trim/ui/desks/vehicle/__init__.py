"""The Vehicle desk."""

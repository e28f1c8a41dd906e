"""The Transients desk."""

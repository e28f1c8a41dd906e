"""The Proof desk."""

"""The Injectors desk."""

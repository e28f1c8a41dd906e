"""The Injectors desk and its command."""

"""Features, each in its own package; what only the window can show is in tests/ui."""

"""One drive in many dresses: how loggers name, scale, lay out, encode and pack what they record."""

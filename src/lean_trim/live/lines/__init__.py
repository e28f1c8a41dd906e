"""The plain line protocol: text or JSON lines from a device, an address or standard input."""

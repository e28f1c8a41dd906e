"""What the table cannot hold: fuel that lags air, and what an ECU adds for it."""

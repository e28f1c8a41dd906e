"""From columns to channels: names, units, time."""

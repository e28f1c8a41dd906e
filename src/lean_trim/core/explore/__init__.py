"""Looking around in a solved log: events, links between seconds and cells, pictures."""

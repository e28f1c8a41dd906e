"""Full-throttle runs: found, measured, compared."""

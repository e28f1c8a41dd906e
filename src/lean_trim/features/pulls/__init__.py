"""Full-throttle runs: found, compared, knock, targets."""

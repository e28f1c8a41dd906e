"""The Pulls desk: full-throttle runs laid over each other."""

"""From a file to named columns of numbers."""

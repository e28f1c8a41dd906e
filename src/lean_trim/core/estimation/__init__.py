"""From observations to a correction per cell with its error."""

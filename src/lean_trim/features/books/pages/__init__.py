"""What the books show in the window."""

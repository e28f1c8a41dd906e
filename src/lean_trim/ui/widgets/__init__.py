"""Small widgets that several places use."""

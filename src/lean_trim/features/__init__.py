"""What Lean Trim can do, a package each; ``registry`` names them."""

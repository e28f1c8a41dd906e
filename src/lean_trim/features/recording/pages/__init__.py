"""What of a running drive is seen: the page that begins it, and the view while it goes on."""

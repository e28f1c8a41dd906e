"""Planning the next drive."""

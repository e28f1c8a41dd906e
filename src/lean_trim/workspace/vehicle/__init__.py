"""A vehicle as it is typed in, before it is one."""

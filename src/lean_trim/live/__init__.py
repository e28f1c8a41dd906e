"""Sources of a running log, and the recording of them."""

"""What is too long for ``./check``: run by ``./campaign NAME``; parallel, seeded, cached, each writes its table into docs."""

"""What is too long for ``./check``: run by ``./campaign NAME``.

Parallel, seeded, cached, each writes its table into docs.
"""

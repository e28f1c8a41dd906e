"""Compile the simulated car once, so that the first drive after an installation does not have to.

``python -m lean_trim.simcar.precompile``.
"""

from __future__ import annotations

from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron

SHORTEST_MIN = 0.2

if __name__ == "__main__":
    # Its table is made of the engine's surface, which compiles that as well.
    simulate(heron(), minutes=SHORTEST_MIN)

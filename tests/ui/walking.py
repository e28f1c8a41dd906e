"""Walks through every desk and page, alone and in every sequence of two, and measures the window.

``python -m tests.ui.walking JOB FOLDER`` prints the largest of the least sizes; ``QT_SCALE_FACTOR`` sets the
scale.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QApplication

from lean_trim.features.registry import FEATURES
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow

State = tuple[str, str]
SETTLE = 2
"""Turns of the event loop after which a layout is at rest."""


def states_of(window: MainWindow) -> list[State]:
    """Every desk with every page of its margin."""
    return [
        (desk.name, page)
        for desk in window.desk_specs
        for page in ([p.name for p in desk.pages] or [""])
    ]


def turn_to(window: MainWindow, state: State) -> QSize:
    """Turn to a desk and page; the least size the window could have then."""
    window.desks.show_desk(state[0])
    if state[1]:
        window.margin.show_page(state[1])
    for _ in range(SETTLE):
        QApplication.processEvents()
    return window.minimumSizeHint()


def through_all_pairs(states: Sequence[State]) -> list[State]:
    """One walk in which every state follows every other one once."""
    left = {a: [b for b in states if b != a] for a in states}
    walk: list[State] = []
    path = [states[0]]
    # Every state is left as often as it is come to, so a round trip over all steps exists (Hierholzer).
    while path:
        if left[path[-1]]:
            path.append(left[path[-1]].pop())
        else:
            walk.append(path.pop())
    return walk[::-1]


def walked(window: MainWindow, pairs: bool) -> dict[tuple[State, State], QSize]:
    """The least size after every sequence of two, or of every state alone."""
    states = states_of(window)
    walk = through_all_pairs(states) if pairs else states
    out: dict[tuple[State, State], QSize] = {}
    before = walk[-1]
    for state in walk:
        out[before, state] = turn_to(window, state)
        before = state
    return out


def main() -> None:
    """Walk, and print the largest width and height met."""
    app = QApplication([])
    window = make_window(FEATURES, Path(sys.argv[2]))
    window.resize(1100, 640)
    window.show()
    window.opening.open_job(Path(sys.argv[1]))
    end = time.monotonic() + 60.0
    while window.session.solution is None or window.session.is_busy:
        app.processEvents()
        assert time.monotonic() < end
    sizes = walked(window, pairs=False).values()
    print(max(s.width() for s in sizes), max(s.height() for s in sizes), window.devicePixelRatio())
    window.close()


if __name__ == "__main__":
    main()

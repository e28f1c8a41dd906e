"""How quickly the window follows a dragged threshold, on an hour at 25 Hz.

``.venv/bin/python -m benchmarks.drag_speed``.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from PySide6.QtWidgets import QApplication

from benchmarks import application
from benchmarks.solve_speed import MINUTES, long_log, vehicle_20
from lean_trim.core.data.log import concatenate
from lean_trim.features.registry import FEATURES
from lean_trim.features.table.pages.sieve_page import RuleRow, SievePage
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import drive
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.additions import AddLogs

ROWS = 90_000
PLACES = range(40, 140, 4)
"""Of the slider it is dragged over."""


def wait(app: QApplication, condition: Callable[[], bool], seconds: float) -> float:
    """Let the window live until something is true; the longest time it was held up, s."""
    longest = 0.0
    end = time.perf_counter() + seconds
    while not condition() and time.perf_counter() < end:
        began = time.perf_counter()
        app.processEvents()
        longest = max(longest, time.perf_counter() - began)
        time.sleep(0.0005)
    return longest


def opened(app: QApplication, folder: Path) -> MainWindow:
    """A window with the hour in it, solved, at the sieve's page."""
    car = vehicle_20()
    window = make_window(FEATURES, folder)
    path = folder / "hour.leantrim"
    JobStore.create(path, car).close()
    window.show()
    window.opening.open_job(path)
    wait(app, lambda: window.session.job is not None and not window.session.is_busy, 30)
    session = window.session
    assert session.round is not None
    hour = store_log(long_log(concatenate(list(drive(car, 3, MINUTES)), "drive"), ROWS))
    AddLogs(session.open, session.navigation, session.round.id, (hour,)).apply()
    wait(app, lambda: window.session.solution is not None and not window.session.is_busy, 60)
    window.margin.show_page("sieve")
    _rows(window)["tip"].unfold(True)
    app.processEvents()
    return window


def _rows(window: MainWindow) -> dict[str, RuleRow]:
    page = window.margin.page("sieve")
    assert isinstance(page, SievePage)
    return page.rows


def main() -> None:
    """Turn a threshold in steps and print how long each took to be held by all views, and to be painted."""
    app = application()
    window = opened(app, Path(tempfile.mkdtemp()))
    slider = _rows(window)["tip"].rows["throttle_rate"].slider
    shown = [0]
    window.session.solved.connect(lambda: shown.__setitem__(0, shown[0] + 1))
    held = []
    painted = []
    longest = 0.0
    for place in PLACES:
        before = shown[0]
        began = time.perf_counter()
        slider.setValue(place)
        longest = max(longest, wait(app, lambda n=before: shown[0] > n, 1.0))  # type: ignore[misc]
        held.append(1e3 * (time.perf_counter() - began))
        app.processEvents()
        painted.append(1e3 * (time.perf_counter() - began))
    print(f"held by all views: median {np.median(held):.0f} ms, worst {max(held):.0f}")
    print(
        f"painted: median {np.median(painted):.0f} ms; longest hold-up of the window "
        f"{1e3 * longest:.0f} ms"
    )
    window.close()


if __name__ == "__main__":
    main()

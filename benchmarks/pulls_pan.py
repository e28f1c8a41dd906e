"""How long one step of panning takes on the Pulls desk: twelve pulls, six lanes.

Run as ``QT_QPA_PLATFORM=offscreen python -m benchmarks.pulls_pan``.
"""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent, QPixmap
from PySide6.QtWidgets import QApplication

from benchmarks import application
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pulls.traces import PullTrace, trace_of
from lean_trim.features.pulls.desk.controls import USUAL_LANES
from lean_trim.features.pulls.desk.overlay import OverlayChart
from lean_trim.features.pulls.desk.overlay_data import overlay_of
from lean_trim.features.registry import FEATURES
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.app import make_window

PULLS = 12
STEPS = 40
STEP_PX = 6.0


def traces() -> list[PullTrace]:
    """Pulls of a long simulated drive, repeated to the number that is asked for."""
    vehicle = heron()
    report = find_pulls([simulate(vehicle, 5, 25.0, name="drive")], vehicle)
    found = [trace_of(report.conditions, pull, report.baro_kpa) for pull in report.pulls]
    return (found * PULLS)[:PULLS]


def move(chart: OverlayChart, kind: QEvent.Type, x: float) -> None:
    """The pointer, held down."""
    left = Qt.MouseButton.LeftButton
    at = QPointF(x, 60.0)
    event = QMouseEvent(kind, at, at, left, left, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(chart, event)


def main() -> None:
    """Drag across each view and print the times of a step."""
    app = application()
    window = make_window(FEATURES, Path(tempfile.mkdtemp()))
    chart = OverlayChart(window.appearance)
    chart.resize(1040, 350)
    picture = QPixmap(chart.size())
    found = traces()
    for across in ("rpm", "time"):
        chart.show_overlay(overlay_of(found, USUAL_LANES, across), 0, 1, "")  # type: ignore[arg-type]
        first, last = chart.view
        chart.view = (first, first + 0.5 * (last - first))
        chart.render(picture)
        move(chart, QEvent.Type.MouseButtonPress, 900.0)
        times = []
        for step in range(STEPS):
            began = time.perf_counter()
            move(chart, QEvent.Type.MouseMove, 900.0 - STEP_PX * step)
            chart.render(picture)
            times.append(1000.0 * (time.perf_counter() - began))
        move(chart, QEvent.Type.MouseButtonRelease, 100.0)
        print(f"over {across}: median {np.median(times):.1f} ms, worst {max(times):.1f} ms")
    app.quit()


if __name__ == "__main__":
    main()

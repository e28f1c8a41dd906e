"""How long after its last reading a danger stands on the screen, while the table is solved beside it.

``.venv/bin/python -m benchmarks.danger_latency [EPISODES]``. A scripted source makes the engine lean at load
again and again; the clock runs from the reading that completes the rule to the end of the painting.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Said
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.features.recording.live_drive import LiveDrive
from lean_trim.features.recording.pages.drive_view import DriveView
from lean_trim.features.registry import FEATURES
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.source import Clock, Reading, Source
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.app import make_window

WANTED_S = 0.15
EVERY_S = 9.0
LEAN_S = 4.0
BEGIN_S = 25.0
LOOK_S = 0.005


class Scripted:
    """A drive in real time that is lean at load for some seconds again and again."""

    address = "scripted:"
    paced = True

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        log = simulate(heron(), 1, 12.0)
        # Warm, so that there is something to solve from the first second on.
        self.log = log
        self.roles = list(log.channels)
        self.stream = Stream(self.address, "all", tuple(Channel(*LABELS[r]) for r in self.roles))
        self.rows = np.array([log[r] for r in self.roles]).T
        self.at = int(np.searchsorted(log.time_s, 240.0))
        self.begun = -1.0

    def open(self) -> None:
        """Begin."""
        self.begun = self.clock.now()

    def close(self) -> None:
        """Nothing to let go."""

    def doubts(self) -> Sequence[Said]:
        """None."""
        return ()

    def read(self) -> Sequence[Reading]:
        """One row every fortieth of a second."""
        time.sleep(0.04)
        now = self.clock.now()
        row = dict(zip(self.roles, self.rows[self.at % len(self.rows)].tolist(), strict=True))
        self.at += 1
        if now > BEGIN_S and (now - BEGIN_S) % EVERY_S < LEAN_S:
            row |= {Role.RPM: 3000.0, Role.MAP: 99.0, Role.TARGET: 0.88, Role.LAMBDA: 1.0}
        return [Reading(self.stream, now, tuple(row[r] for r in self.roles))]


def scripted(addresses: Sequence[str], clock: Clock, vehicle: Vehicle) -> tuple[Source, ...]:
    """The one source, whatever was asked for."""
    return (Scripted(clock),)


def main() -> None:
    """Measure and print."""
    episodes = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    app = QApplication([])
    with tempfile.TemporaryDirectory(prefix="lean-trim-") as folder:
        window = make_window(FEATURES, Path(folder))
        window.resize(1280, 800)
        window.show()
        window.opening.open_demo()
        session = window.session
        while session.solution is None or session.is_busy:
            app.processEvents()
            time.sleep(LOOK_S)
        window.show_desk("plan")
        desk = window.desk("plan")
        assert isinstance(desk, PlanDesk)
        live = desk.record.live
        live.make_sources = scripted
        live.start(["scripted:"])
        print_latency(app, desk.record.view, live, episodes)
        live.stop(take_in=False)
        window.close()


def print_latency(app: QApplication, view: DriveView, live: LiveDrive, episodes: int) -> None:
    """Wait for so many dangers, and print how late they were painted."""
    late: list[float] = []
    recorder = live.recorder
    assert recorder is not None
    plain = view.paintEvent

    def painted(event: QPaintEvent) -> None:
        plain(event)
        if view.alarms and not view.alarms[0].is_off and len(late) < len(live.dangers):
            late.append(recorder.clock.now() - live.dangers[-1].time_s)

    view.paintEvent = painted  # type: ignore[method-assign]
    view.resize(1920, 1080)
    solves = 0
    solved = live.solved
    while len(late) < episodes:
        app.processEvents()
        if live.solved is not solved:
            solved = live.solved
            solves += 1
        if view.alarms and (view.alarms[0].is_off or len(late) == len(live.dangers)):
            view.acknowledge()
        time.sleep(LOOK_S)
    ordered = sorted(late)
    print(
        f"{len(late)} dangers, table solved {solves} times beside: painted "
        f"{1000 * ordered[len(late) // 2]:.0f} ms after the reading in the median, "
        f"{1000 * ordered[-1]:.0f} ms at most (wanted {1000 * WANTED_S:.0f})"
    )


if __name__ == "__main__":
    main()

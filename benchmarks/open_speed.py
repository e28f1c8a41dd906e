"""How long a job of many long rounds takes to open and to switch between rounds, and how large its file is.

``.venv/bin/python -m benchmarks.open_speed [ROUNDS] [FOLDER]``. The rounds are hours of the simulated
car, 25 Hz and 20 channels. The window runs; each round was looked at before, its pulls and quick changes
too, so that everything is kept. A folder that holds the job already is used again.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from lean_trim.core.data.calibration import calibration_of
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import drive
from lean_trim.simcar.heron import heron

ROUNDS = 30
MINUTES = 60.0
CHANNELS = 20
OPEN_S = 1.5
SWITCH_S = 0.2
SHARE = 0.4
"""What is wanted."""
QUIET_S = 0.3
TICK_MS = 3
DESKS = ("pulls", "transients", "table")


def twenty(log: Log) -> Log:
    """The log with as many channels as are wanted: a fuel level beside the others."""
    channels = dict(log.channels)
    rest = np.round(40.0 - log.time_s / 600.0, 1)
    spare = [r for r in Role if r not in channels and "battery" not in str(r)]
    while len(channels) < CHANNELS - 1:
        channels[spare.pop()] = rest
    return Log(log.time_s, channels, log.name)


def make_job(path: Path, rounds: int) -> int:
    """Write the job; returns the bytes of its logs as CSV."""
    car = heron()
    store = JobStore.create(path, car)
    first = store.load().rounds[0]
    in_csv = 0
    table = car.table
    for number in range(1, rounds + 1):
        log = twenty(concatenate(list(drive(car, number, MINUTES)), f"round {number}"))
        csv = path.with_suffix(".csv")
        write_log_csv(log, csv)
        in_csv += csv.stat().st_size
        csv.unlink()
        if number == 1:
            store.add_logs(first.id, [store_log(log)])
            last = first
        else:
            last = store.begin_round(last, calibration_of(car), [store_log(log)])
        # Another revision every round, a little nearer.
        table = table.with_values(np.round(table.values * 1.001, 1))
        car = car.with_table(table)
    store.close()
    path.with_suffix(".size").write_text(str(in_csv))
    return in_csv


class Rig:
    """The window, and a clock on what it does."""

    def __init__(self, settings: Path) -> None:
        from PySide6.QtWidgets import QApplication

        from lean_trim.ui.window.app import make_window

        self.app = QApplication.instance() or QApplication([])
        self.window = make_window(FEATURES, settings)
        self.window.resize(1280, 800)
        self.window.show()
        self.session = self.window.session
        self.longest = 0.0

    def until(self, done: Callable[[], bool], limit_s: float = 600.0) -> float:
        """Let the window run until something is so; returns seconds, and notes the longest block."""
        from PySide6.QtCore import QEventLoop, QTimer

        began = time.perf_counter()
        last = [began]
        loop = QEventLoop()

        def look() -> None:
            now = time.perf_counter()
            self.longest = max(self.longest, now - last[0])
            last[0] = now
            if done() or now - began > limit_s:
                loop.quit()

        timer = QTimer()
        timer.setInterval(TICK_MS)
        timer.timeout.connect(look)
        timer.start()
        loop.exec()
        timer.stop()
        if not done():
            raise TimeoutError
        return time.perf_counter() - began

    def rest(self) -> None:
        """Run it until nothing has been at work for a moment."""
        quiet = time.perf_counter()
        while time.perf_counter() - quiet < QUIET_S:
            if self.session.tasks.running:
                quiet = time.perf_counter()
            self.app.processEvents()
            time.sleep(0.002)

    def shown(self) -> bool:
        """True if the shown round's solution is the wanted one and painted."""
        solver = self.session.solver
        return solver.solution is not None and solver.is_wanted and solver.has_looked


def main() -> None:
    """Print sizes and times with what is wanted."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else ROUNDS
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(sys.argv[2]) if len(sys.argv) > 2 else Path(temporary)
        path = folder / "many.leantrim"
        fresh = not path.exists()
        in_csv = make_job(path, rounds) if fresh else int(path.with_suffix(".size").read_text())
        bare = path.stat().st_size
        rig = Rig(Path(temporary) / "settings")
        session = rig.session
        session.opening.open_path(path)
        rig.until(rig.shown)
        for index in range(rounds):
            began = time.perf_counter()
            session.navigation.show_round(index)
            rig.until(rig.shown)
            for desk in DESKS:
                rig.window.show_desk(desk)
                rig.rest()
            if fresh:
                print(
                    f"  round {index + 1}: first looked at in {time.perf_counter() - began:.1f} s"
                )
        session.opening.close_job()
        rig.rest()
        rig.longest = 0.0
        began = time.perf_counter()
        session.opening.open_path(path)
        rig.until(lambda: session.open.job is not None)
        read = time.perf_counter() - began
        rig.until(rig.shown)
        opened = time.perf_counter() - began
        print(f"opened {opened:.2f} s (wanted {OPEN_S}), of it reading {read:.2f} s")
        print(f"longest block while opening {1000 * rig.longest:.0f} ms")
        switches = []
        rig.longest = 0.0
        for index in (*range(rounds - 2, -1, -3), *range(0, rounds, 3)):
            rig.rest()
            began = time.perf_counter()
            session.navigation.show_round(index)
            rig.until(rig.shown)
            switches.append(time.perf_counter() - began)
        print(
            f"switched {np.median(switches):.3f} s in the median, {max(switches):.3f} s at most "
            f"(wanted {SWITCH_S}); longest block {1000 * rig.longest:.0f} ms"
        )
        whole = path.stat().st_size
        print(
            f"file {whole / 1e6:.1f} MB, of it logs {bare / 1e6:.1f} MB; CSV {in_csv / 1e6:.1f} MB: "
            f"{whole / in_csv:.2f} (wanted {SHARE})"
        )
        session.opening.close_job()


if __name__ == "__main__":
    main()

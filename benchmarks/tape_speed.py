"""How long one pan or zoom step of the tape takes: 8 lanes × 360 000 points at 1280 pixels.

``.venv/bin/python -m benchmarks.tape_speed``; offscreen, each step a full repaint.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks import application
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.features.registry import FEATURES
from lean_trim.simcar.heron import heron
from lean_trim.ui.tape.lanes import LaneSpec
from lean_trim.ui.tape.tape_data import TapeData, make_tape
from lean_trim.ui.window.app import make_window

ROWS = 360_000
STEPS = 240


def long_log() -> Log:
    """An hour at 100 Hz with eight lively channels."""
    rng = np.random.default_rng(0)
    time_s = np.arange(ROWS) / 100.0
    roles = (
        Role.LAMBDA,
        Role.STFT,
        Role.MAP,
        Role.RPM,
        Role.THROTTLE,
        Role.PULSE_WIDTH,
        Role.BATTERY,
        Role.SPEED,
    )
    return Log(
        time_s,
        {
            r: np.sin(time_s / (5 + i)) + 0.1 * rng.standard_normal(ROWS)
            for i, r in enumerate(roles)
        },
        "hour",
    )


def main() -> None:
    """Print median and worst step, and the ratio to one pass over the data of one lane."""
    app = application()
    window = make_window(FEATURES, Path(tempfile.mkdtemp()))
    window.resize(1280, 800)
    window.pages.setCurrentIndex(1)
    window.show()
    app.processEvents()
    log = long_log()
    tape = window.tape
    tape.resize(1280, 400)
    lanes = tuple(LaneSpec(str(r), (str(r),)) for r in log.channels)
    began = time.perf_counter()
    bare = make_tape(log, heron(), lanes)
    print(f"building 8 pyramids of {ROWS} points: {1e3 * (time.perf_counter() - began):.0f} ms")
    rng = np.random.default_rng(1)
    regime = np.repeat(rng.integers(1, 7, ROWS // 400), 400).astype(np.int8)
    bits = np.repeat((rng.random(ROWS // 250) < 0.4).astype(np.uint32), 250)
    tape.data = TapeData(log, bare.lanes, regime, bits)
    tape.show_all()
    tape.repaint()
    spent = []
    for i in range(STEPS):
        middle = 1800 + 900 * np.sin(i / 9)
        width = 3600 * 0.5 ** (6 * abs(np.sin(i / 40)))
        began = time.perf_counter()
        tape.look_at(middle - width / 2, middle + width / 2)
        tape.repaint()
        spent.append(1e3 * (time.perf_counter() - began))
    began = time.perf_counter()
    log[Role.RPM].min()
    one_pass = 1e3 * (time.perf_counter() - began)
    print(
        f"step: median {statistics.median(spent):.1f} ms (wanted 16), worst {max(spent):.1f} ms "
        f"(wanted 33); {statistics.median(spent) / one_pass:.0f} times numpy's minimum of one "
        "channel"
    )


if __name__ == "__main__":
    main()

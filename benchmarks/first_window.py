"""How long the first window takes, and where the time goes.

``.venv/bin/python -m benchmarks.first_window [REPEATS]``.

Each repeat is a process of its own, with compiled bytecode, as on a user's second start. The
interpreter's own start is part of the total.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time

LIMIT_S = 0.8
WARM_UPS = 1
PROBE = """
import time; began = time.perf_counter()
import json, sys
from pathlib import Path
import numpy
after_numpy = time.perf_counter()
from PySide6.QtWidgets import QApplication
after_qt = time.perf_counter()
from lean_trim.features.registry import FEATURES
from lean_trim.ui.window.app import make_window
after_ours = time.perf_counter()
app = QApplication([])
window = make_window(FEATURES, Path(sys.argv[1]))
after_build = time.perf_counter()
window.show()
app.processEvents()
shown = time.perf_counter()
print(json.dumps({
    "NumPy": after_numpy - began, "Qt": after_qt - after_numpy, "our modules": after_ours - after_qt,
    "building": after_build - after_ours, "showing": shown - after_build,
}))
"""


def one_start() -> dict[str, float]:
    """Seconds by part, and in all, of one start."""
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    environment.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        words = [sys.executable, "-c", PROBE, folder]
        run = subprocess.run(words, capture_output=True, text=True, check=True, env=environment)
        whole = time.perf_counter() - began
    parts: dict[str, float] = json.loads(run.stdout)
    return parts | {"interpreter, and its end": whole - sum(parts.values()), "whole": whole}


def main() -> None:
    """Print the median of every part."""
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    for _ in range(WARM_UPS):
        one_start()
    starts = [one_start() for _ in range(repeats)]
    for part in starts[0]:
        print(f"{part:26s} {statistics.median(s[part] for s in starts):6.3f} s")
    print(f"wanted: below {LIMIT_S} s")


if __name__ == "__main__":
    main()

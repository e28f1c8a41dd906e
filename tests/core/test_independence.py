"""The computation needs neither window nor files nor the simulator's truth."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.judge import rms_where_driven
from lean_trim.simcar.truth import truth_for

PROBE = """
import pkgutil, importlib, sys, json
import lean_trim.{package} as package
for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
    importlib.import_module(module.name)
print(json.dumps(sorted(m for m in sys.modules if m.startswith(("PySide6", "shiboken6", "lean_trim")))))
"""


@pytest.mark.parametrize("package", ["core", "simcar", "job", "formats"])
def test_nothing_below_the_interface_imports_qt(package: str) -> None:
    out = subprocess.run(
        [sys.executable, "-c", PROBE.format(package=package)],
        capture_output=True,
        text=True,
        check=True,
    )
    modules = json.loads(out.stdout)
    assert not [m for m in modules if m.startswith(("PySide6", "shiboken6", "lean_trim.ui"))]
    if package == "core":
        assert {m.split(".")[1] for m in modules if "." in m} == {"core"}


ESTIMATE = """
import sys
from lean_trim.cli.main import main
assert main(sys.argv[1:]) == 0
print("simcar" if any(m.startswith("lean_trim.simcar") for m in sys.modules) else "no truth loaded")
"""


@pytest.mark.slow
def test_the_estimator_works_from_an_exported_csv_in_a_process_that_has_no_truth(
    tmp_path: Path, heron_vehicle: Vehicle, heron_log: Log
) -> None:
    sheet = write_vehicle(heron_vehicle, tmp_path / "car")
    write_log_csv(heron_log, tmp_path / "drive.csv")
    words = [
        "correct",
        "--vehicle",
        str(sheet),
        "--log",
        str(tmp_path / "drive.csv"),
        "--out",
        str(tmp_path / "out"),
    ]
    run = subprocess.run(
        [sys.executable, "-c", ESTIMATE, *words], capture_output=True, text=True, check=False
    )
    assert run.returncode == 0, run.stderr
    assert run.stdout.strip().endswith("no truth loaded")
    from lean_trim.core.pipeline.solve import solve
    from lean_trim.formats.tables import read_table

    table = read_table(tmp_path / "out" / "ve.csv", "ve")
    again = solve(
        [simulate(heron_vehicle.with_table(table), seed=5, minutes=4.0)],
        heron_vehicle.with_table(table),
    )
    assert rms_where_driven(table, again, truth_for(heron_vehicle)) < 2.0


def test_the_window_opens_without_waiting_for_the_estimators_libraries() -> None:
    """SciPy and the compiled loops are loaded where they are used, in a thread, and not before."""
    code = (
        "import sys, tempfile; from pathlib import Path; from PySide6.QtWidgets import "
        "QApplication; from lean_trim.ui.window.app import make_window; "
        "from lean_trim.features.registry import FEATURES; app = QApplication([]); "
        "window = make_window(FEATURES, Path(tempfile.mkdtemp())); window.show(); app.processEvents(); "
        "print([m for m in ('numba', 'scipy', 'polars', 'asammdf') if m in sys.modules])"
    )
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True, env=environment
    )
    assert done.stdout.strip() == "[]"

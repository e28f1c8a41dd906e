"""What each part of the estimator is worth: every case of a folder with one part switched off at a time.

``.venv/bin/python -m benchmarks.ablations CASES``, where CASES holds folders with vehicle.json, drive.csv.gz and what the
``score.py`` beside them needs.
"""

from __future__ import annotations

import importlib.util
import sys
import tempfile
from pathlib import Path
from types import ModuleType

from lean_trim.core.delay import DelaySettings
from lean_trim.core.proposal import PolicySettings, propose
from lean_trim.core.sieve import RULES, SieveSettings
from lean_trim.core.solve import SolveSettings, solve
from lean_trim.core.surface import SurfaceSettings
from lean_trim.formats.logs import open_log
from lean_trim.formats.tables_csv import write_table
from lean_trim.formats.vehicle_json import read_vehicle

VARIANTS: dict[str, SolveSettings] = {
    "everything on": SolveSettings(),
    "wall film off": SolveSettings(surface=SurfaceSettings(film_spread=0.001)),
    "delay by default": SolveSettings(fit_delay=False),
    "no delay": SolveSettings(fit_delay=False, delay=DelaySettings(0.0, 0.0, 0.0)),
    "not robust": SolveSettings(surface=SurfaceSettings(huber=1e6)),
    "no sieve but lambda's range": SolveSettings(
        sieve=SieveSettings(disabled=frozenset(r.name for r in RULES) - {"sensor_range", "not_running", "no_data"})
    ),
    "cell averages": SolveSettings(method="average"),
}


def load_score(cases: Path) -> ModuleType:
    """The scorer that lies beside the cases."""
    spec = importlib.util.spec_from_file_location("score", cases.parent / "score.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def main() -> None:
    """Print one line a variant and case."""
    cases = Path(sys.argv[1])
    score = load_score(cases)
    for case in sorted(c for c in cases.iterdir() if (c / "references.json").exists()):
        vehicle, _ = read_vehicle(case / "vehicle.json")
        log = open_log(case / "drive.csv.gz", vehicle.stoich_afr).log
        for name, settings in VARIANTS.items():
            table = propose(solve([log], vehicle, settings).estimate, PolicySettings(), vehicle.limits).table
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "table.csv"
                write_table(table, path)
                print(f"{case.name:16s} {name:28s} {score.figures(case, path)}", flush=True)


if __name__ == "__main__":
    main()

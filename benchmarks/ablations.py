"""What each part of the estimator is worth: every case of a folder with one part switched off at a time.

``.venv/bin/python -m benchmarks.ablations CASES``, where CASES holds folders with vehicle.json,
drive.csv.gz and what the ``score.py`` beside them needs.
"""

from __future__ import annotations

import sys
from pathlib import Path

from benchmarks.cases import cases_in
from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.sieve.sieve import RULES, SieveSettings

VARIANTS: dict[str, SolveSettings] = {
    "everything on": SolveSettings(),
    "wall film off": SolveSettings(surface=SurfaceSettings(film_spread=0.001)),
    "delay by default": SolveSettings(fit_delay=False),
    "no delay": SolveSettings(fit_delay=False, delay=DelaySettings(0.0, 0.0, 0.0)),
    "not robust": SolveSettings(surface=SurfaceSettings(huber=1e6)),
    "no sieve but lambda's range": SolveSettings(
        sieve=SieveSettings(
            disabled=frozenset(r.name for r in RULES) - {"sensor_range", "not_running", "no_data"}
        )
    ),
    "cell averages": SolveSettings(method="average"),
}


def main() -> None:
    """Print one line a variant and case."""
    for case in cases_in(Path(sys.argv[1])):
        for name, settings in VARIANTS.items():
            print(f"{case.path.name:16s} {name:28s} {case.figures(settings=settings)}", flush=True)


if __name__ == "__main__":
    main()

"""Cases of a folder: vehicle.json, drive.csv.gz, and a ``score.py`` beside them."""

from __future__ import annotations

import importlib.util
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.pipeline.solve import SolveSettings, solve
from lean_trim.formats.logs import open_log
from lean_trim.formats.tables import write_table
from lean_trim.formats.vehicle_sheet import read_vehicle


@dataclass(frozen=True, eq=False)
class Case:
    """One case, read."""

    path: Path
    vehicle: Vehicle
    log: Log
    score: ModuleType

    def figures(self, log: Log | None = None, settings: SolveSettings | None = None) -> object:
        """What the scorer says of one round on a log (the case's own if None)."""
        estimate = solve([log or self.log], self.vehicle, settings).estimate
        table = propose(estimate, PolicySettings(), self.vehicle.limits).table
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "table.csv"
            write_table(table, path)
            return self.score.figures(self.path, path)


def cases_in(folder: Path) -> Iterator[Case]:
    """Every case whose correction can be scored."""
    spec = importlib.util.spec_from_file_location("score", folder.parent / "score.py")
    assert spec is not None
    assert spec.loader is not None
    score = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(score)
    for path in sorted(c for c in folder.iterdir() if (c / "references.json").exists()):
        vehicle, _ = read_vehicle(path / "vehicle.json")
        yield Case(path, vehicle, open_log(path / "drive.csv.gz", vehicle.stoich_afr).log, score)

"""The logs a command was given: read when they are needed, refused where they are in doubt."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.cli.log_options import LogWords, open_named, refuse_doubts

if TYPE_CHECKING:
    from lean_trim.core.data.tables import Table
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.core.pipeline.solve import DrivenLog


def warn(lines: Iterable[str]) -> None:
    """Say what was taken in another way than it stands there."""
    for line in lines:
        print(f"warning: {line}", file=sys.stderr)


class Logs:
    """The logs that were named; each is read when it is asked for, and warned of once."""

    def __init__(
        self,
        paths: Sequence[Path],
        vehicle: Vehicle,
        tables: Mapping[Path, Table],
        quiet: bool,
        words: LogWords,
        accept_doubts: bool,
    ) -> None:
        self.paths = paths
        self.vehicle = vehicle
        self.tables = tables
        self.warned = set(paths) if quiet else set()
        self.words = words
        self.accept_doubts = accept_doubts

    def read(self, path: Path) -> DrivenLog:
        """One of them, refused where it is in doubt."""
        from lean_trim.core.pipeline.solve import DrivenLog
        from lean_trim.formats.meaning.missing import missing_roles

        opened = open_named(path, self.vehicle, self.words)
        if not self.accept_doubts:
            refuse_doubts(path, opened.mapped)
        lacks = [str(m) for m in missing_roles(opened.log, self.vehicle) if not m.needed]
        warn(() if path in self.warned else (*opened.warnings, *lacks))
        self.warned.add(path)
        return DrivenLog(opened.log, self.tables.get(path))

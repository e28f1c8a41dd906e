"""Jobs opened lately, in a small file of the data folder."""

from __future__ import annotations

import json
from pathlib import Path

MOST = 8


class Recent:
    """Newest first; files that are gone are not shown."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "recent.json"

    def paths(self) -> list[Path]:
        """Jobs that still exist."""
        try:
            listed = json.loads(self.file.read_text(encoding="utf-8"))
        except (OSError, ValueError, RecursionError):
            return []
        if not isinstance(listed, list):
            return []
        return [Path(p) for p in listed if isinstance(p, str) and Path(p).is_file()][:MOST]

    def add(self, path: Path) -> None:
        """Put a job first."""
        listed = [str(path.resolve()), *(str(p) for p in self.paths() if p != path.resolve())]
        self.file.parent.mkdir(parents=True, exist_ok=True)
        self.file.write_text(json.dumps(listed[:MOST], ensure_ascii=False), encoding="utf-8")

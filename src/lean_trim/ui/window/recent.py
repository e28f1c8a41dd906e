"""Jobs opened lately and how they stood, in a small file of the data folder."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from lean_trim.formats.whole_files import write_whole

MOST = 8
LONGEST = 200
"""Characters of a text that is shown; what is longer was not written here."""


@dataclass(frozen=True)
class RecentJob:
    """A job that was opened.

    Attributes
    ----------
    path : of its file.
    name : of its vehicle, "" if it was never told.
    state : its newest residual and verdict in words, "" without.
    opened : when last, ISO 8601, "" if not known.
    """

    path: str
    name: str = ""
    state: str = ""
    opened: str = ""

    @property
    def when(self) -> str:
        """When it was opened, for people."""
        try:
            return datetime.fromisoformat(self.opened).strftime("%d %b %Y, %H:%M")
        except ValueError:
            return ""


class Recent:
    """Newest first; files that are gone are not shown."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "recent.json"

    def jobs(self) -> list[RecentJob]:
        """Jobs that still exist."""
        try:
            listed = json.loads(self.file.read_text(encoding="utf-8"))
        except (OSError, ValueError, RecursionError):
            return []
        read = [_job(entry) for entry in listed] if isinstance(listed, list) else []
        return [job for job in read if job is not None and _is_there(job.path)][:MOST]

    def paths(self) -> list[Path]:
        """Their files."""
        return [Path(job.path) for job in self.jobs()]

    def add(self, path: Path) -> None:
        """Put a job first, as opened now."""
        resolved = str(path.resolve())
        known = next((j for j in self.jobs() if j.path == resolved), RecentJob(resolved))
        moment = datetime.now().isoformat(timespec="minutes")
        self._write(
            [replace(known, opened=moment), *(j for j in self.jobs() if j.path != resolved)]
        )

    def tell(self, path: Path, name: str, state: str) -> None:
        """Note how a job stands, where it is listed."""
        resolved = str(path.resolve())
        jobs = self.jobs()
        told = [replace(j, name=name, state=state) if j.path == resolved else j for j in jobs]
        if told != jobs:
            self._write(told)

    def _write(self, jobs: list[RecentJob]) -> None:
        self.file.parent.mkdir(parents=True, exist_ok=True)
        listed = [asdict(job) for job in jobs[:MOST]]
        # Names that are no UTF-8 are kept as JSON can hold them.
        write_whole(self.file, json.dumps(listed, indent=1))


def _is_there(path: str) -> bool:
    """True if a file can be seen there; of a folder that may not be read, or a dead mount, none can."""
    try:
        return Path(path).is_file()
    except (OSError, ValueError):
        return False


def _job(entry: Any) -> RecentJob | None:
    """An entry as it was written, by this version or one that kept paths only; None for anything else."""
    if isinstance(entry, str):
        return RecentJob(entry)
    if not isinstance(entry, dict) or not isinstance(entry.get("path"), str):
        return None
    texts = {
        k: v[:LONGEST]
        for k, v in entry.items()
        if k in ("name", "state", "opened") and isinstance(v, str)
    }
    return RecentJob(entry["path"], **texts)

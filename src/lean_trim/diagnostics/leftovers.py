"""What processes that were killed left behind: temporary folders, and files that were being written.

A name tells which process made it. What belongs to one that still runs is left alone.
"""

from __future__ import annotations

import logging
import re
import shutil
import tempfile
from collections.abc import Iterable
from pathlib import Path

from lean_trim.formats.own_folder import PREFIX
from lean_trim.formats.whole_files import BEFORE, PART
from lean_trim.job.ownership import started_of

LOGGER = logging.getLogger(__name__)
TEMPORARY = re.compile(rf"{re.escape(PREFIX)}(\d+)-\w+")
WRITTEN = re.compile(rf"(.+)\.(\d+)-[0-9a-f]{{8}}\.({PART}|{BEFORE})(-journal)?")


def clean(folders: Iterable[Path], temporary: Path | None = None) -> list[Path]:
    """Remove what killed processes left; what cannot be removed stays.

    Parameters
    ----------
    folders : where files of ours may have been written.
    temporary : folder of temporary files; the system's if None.

    Returns
    -------
    What was removed or given its old name back.
    """
    done = _matching(temporary or Path(tempfile.gettempdir()), TEMPORARY, pid_group=1)
    for found in done:
        _remove(found)
    for folder in dict.fromkeys(folders):
        for found in _matching(folder, WRITTEN, pid_group=2):
            _settle(found)
            done.append(found)
    if done:
        LOGGER.info("cleaned up after killed processes: %s", ", ".join(p.name for p in done))
    return done


def _matching(folder: Path, pattern: re.Pattern[str], pid_group: int) -> list[Path]:
    """Entries whose process is gone; none where the folder cannot be read."""
    try:
        entries = sorted(folder.iterdir())
    except OSError:
        return []
    out = []
    for entry in entries:
        match = pattern.fullmatch(entry.name)
        if match is not None and not started_of(int(match[pid_group])):
            out.append(entry)
    return out


def _settle(found: Path) -> None:
    """A half-written file goes; one that was about to be replaced gets its name back if that is free."""
    match = WRITTEN.fullmatch(found.name)
    assert match is not None
    whole = found.with_name(match[1])
    try:
        if match[3] == BEFORE and not whole.exists():
            found.rename(whole)
        else:
            found.unlink()
    except OSError as error:
        LOGGER.info("%s stays: %s", found.name, error)


def _remove(found: Path) -> None:
    if found.is_dir() and not found.is_symlink():
        shutil.rmtree(found, ignore_errors=True)
    else:
        found.unlink(missing_ok=True)

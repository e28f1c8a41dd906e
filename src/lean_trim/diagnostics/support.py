"""A report a user can send: the log, versions and settings; drive data only if asked for.

Folders, files, the user and names of cars and logs are replaced by tokens; what is in it can be
looked at before it is written.
"""

from __future__ import annotations

import json
import platform
import sqlite3
import sys
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from lean_trim import __version__
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.diagnostics.logbook import CRASH_NAME, LOG_NAME
from lean_trim.diagnostics.tokens import Tokens
from lean_trim.formats.own_folder import own_folder

LIBRARIES = (
    "numpy",
    "scipy",
    "numba",
    "polars",
    "asammdf",
    "zstandard",
    "platformdirs",
    "superqt",
    "PySide6-Essentials",
)


JOB_NAME = "job.leantrim"


class Say:
    """What writing a report says."""

    NOT_READ = Message("support.not_read", "{path}: the program's log cannot be read ({cause})")
    NOT_WRITTEN = Message(
        "support.not_written",
        "{path}: the report cannot be written ({cause}); choose another place",
    )


def versions() -> dict[str, str]:
    """The program, its libraries and the system they run on."""
    out = {
        "lean-trim": __version__,
        "python": sys.version.split()[0],
        "system": platform.platform(),
    }
    for name in LIBRARIES:
        try:
            out[name] = version(name)
        except PackageNotFoundError:
            out[name] = "not installed"
    return out


@dataclass(frozen=True)
class Report:
    """What a report holds, to be looked at before it is written.

    Attributes
    ----------
    texts : by the name of their file, with tokens in place of folders and names.
    job : the job file that goes along as it is, with its drive data and its names; None for none.
    """

    texts: Mapping[str, str]
    job: Path | None = None

    @property
    def names(self) -> tuple[str, ...]:
        """Names of what is in it."""
        return (*self.texts, JOB_NAME) if self.job is not None else tuple(self.texts)


def prepare_report(
    state: Path, settings: Mapping[str, str], known: Iterable[str] = (), job: Path | None = None
) -> Report:
    """Put a report together; nothing is written yet.

    Parameters
    ----------
    state : folder of the log.
    settings : what the window remembers and the settings of the round that is looked at.
    known : names and paths of the user's, which are taken out.
    job : the job file, with its drive data; None leaves it out.

    Returns
    -------
    The report.

    Raises
    ------
    BadInputError
        If the log cannot be read.
    """
    tokens = Tokens(known)
    texts = {
        "versions.json": json.dumps(versions(), indent=1),
        "settings.json": tokens.without_names(
            json.dumps(dict(settings), indent=1, ensure_ascii=False)
        ),
    }
    try:
        for log in sorted((*state.glob(f"{LOG_NAME}*"), *state.glob(CRASH_NAME))):
            text = log.read_text(encoding="utf-8", errors="replace")
            texts[log.name] = tokens.without_names(text)
    except OSError as error:
        raise BadInputError(Say.NOT_READ(path=state, cause=error)) from error
    return Report(texts, job)


def write_report(path: Path, report: Report) -> None:
    """Write a report as a zip file.

    Parameters
    ----------
    path : replaced if it exists.
    report : as it was shown.

    Raises
    ------
    BadInputError
        If it cannot be written.
    """
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in report.texts.items():
                archive.writestr(name, text)
            if report.job is not None:
                _put_job(archive, report.job)
    except (OSError, sqlite3.Error) as error:
        raise BadInputError(Say.NOT_WRITTEN(path=path, cause=error)) from error


def _put_job(report: zipfile.ZipFile, job: Path) -> None:
    """A consistent copy, also while the job is open."""
    with own_folder() as folder:
        copy = folder / JOB_NAME
        # A name may hold what means something in an address.
        source = sqlite3.connect(f"{job.resolve().as_uri()}?mode=ro", uri=True)
        target = sqlite3.connect(copy)
        try:
            source.backup(target)
        finally:
            source.close()
            target.close()
        report.write(copy, JOB_NAME)

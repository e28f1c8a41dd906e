"""A report a user can send: the log, versions and settings; drive data only if asked for.

Home folder and user name are taken out.
"""

from __future__ import annotations

import getpass
import json
import platform
import sqlite3
import sys
import zipfile
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from lean_trim import __version__
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.diagnostics.logbook import CRASH_NAME, LOG_NAME
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


class Say:
    """What writing a report says."""

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


def write_report(
    path: Path, state: Path, settings: dict[str, str], job: Path | None = None
) -> list[str]:
    """Write a report as a zip file.

    Parameters
    ----------
    state : folder of the log.
    settings : what the window remembers and the settings of the round that is looked at.
    job : the job file, with its drive data; None leaves it out.

    Returns
    -------
    Names of what is in it.

    Raises
    ------
    BadInputError
        If it cannot be written.
    """
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as report:
            report.writestr("versions.json", json.dumps(versions(), indent=1))
            report.writestr(
                "settings.json", without_names(json.dumps(settings, indent=1, ensure_ascii=False))
            )
            for log in sorted((*state.glob(f"{LOG_NAME}*"), *state.glob(CRASH_NAME))):
                report.writestr(
                    log.name, without_names(log.read_text(encoding="utf-8", errors="replace"))
                )
            if job is not None:
                _put_job(report, job)
            return report.namelist()
    except (OSError, sqlite3.Error) as error:
        raise BadInputError(Say.NOT_WRITTEN(path=path, cause=error)) from error


def without_names(text: str) -> str:
    """A text without the user's home folder and name."""
    out = text.replace(str(Path.home()), "~")
    name = getpass.getuser()
    return out.replace(f"/{name}/", "/USER/") if len(name) > 1 else out


def _put_job(report: zipfile.ZipFile, job: Path) -> None:
    """A consistent copy, also while the job is open."""
    with own_folder() as folder:
        copy = folder / "job.leantrim"
        # A name may hold what means something in an address.
        source = sqlite3.connect(f"{job.resolve().as_uri()}?mode=ro", uri=True)
        target = sqlite3.connect(copy)
        try:
            source.backup(target)
        finally:
            source.close()
            target.close()
        report.write(copy, "job.leantrim")

"""Which files and folders are meant, asked of the user, then handed to who looks after job files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from lean_trim.features.books.care import FileCare
from lean_trim.job.store import SUFFIX
from lean_trim.ui.specs import Place

FILTER = f"Lean Trim jobs (*{SUFFIX})"


def _parent(place: Place) -> QWidget | None:
    return place if isinstance(place, QWidget) else None


def _near(place: Place) -> Path:
    """The folder the open job is in."""
    path = place.session.open.path
    return Path.home() if path is None else path.parent


def _new_job(place: Place, title: str, name: str) -> Path | None:
    wanted = str(_near(place) / f"{name}{SUFFIX}")
    path, _ = QFileDialog.getSaveFileName(_parent(place), title, wanted, FILTER)
    return Path(path).with_suffix(SUFFIX) if path else None


def ask_export(place: Place) -> None:
    """Ask for a folder, and write the job into it.

    Parameters
    ----------
    place : the window.
    """
    folder = QFileDialog.getExistingDirectory(
        _parent(place), "An empty folder for the job", str(_near(place))
    )
    if folder:
        place.session.part(FileCare).export(Path(folder))


def ask_import(place: Place) -> None:
    """Ask for an exported folder and a new file, and make a job of it.

    Parameters
    ----------
    place : the window.
    """
    folder = QFileDialog.getExistingDirectory(
        _parent(place), "The folder of an exported job", str(_near(place))
    )
    if not folder:
        return
    path = _new_job(place, "Where the job goes", Path(folder).name)
    if path is not None:
        place.session.part(FileCare).bring_in(Path(folder), path)


def ask_repair(place: Place) -> None:
    """Ask which job is damaged, unless that was just told, and where the copy goes.

    Parameters
    ----------
    place : the window.
    """
    damaged = place.session.opening.damaged
    if damaged is None:
        chosen, _ = QFileDialog.getOpenFileName(
            _parent(place), "The damaged job", str(_near(place)), FILTER
        )
        if not chosen:
            return
        damaged = Path(chosen)
    wanted = str(damaged.with_name(f"{damaged.stem} repaired{SUFFIX}"))
    path, _ = QFileDialog.getSaveFileName(
        _parent(place), "Where the copy of what can be read goes", wanted, FILTER
    )
    if path:
        place.session.part(FileCare).repair(damaged, Path(path).with_suffix(SUFFIX))

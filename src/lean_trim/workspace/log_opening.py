"""One log on its way into the job: read with what the user said of it, or asked about."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import AskedError, BadInputError, CancelledError, LogError, Need
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import ReadOptions
from lean_trim.formats.logs import OpenedLog, open_log
from lean_trim.formats.meaning.choices import Choices, shape_of
from lean_trim.formats.own_folder import own_folder
from lean_trim.job.blobs import store_log
from lean_trim.job.records import StoredLog
from lean_trim.workspace.destination import Destination, Place
from lean_trim.workspace.tasks import Report


class Say:
    """What opening one log says."""

    CANCELLED = Message("log_opening.cancelled", "opening logs was cancelled; nothing was changed")
    NO_DBC = Message("log_opening.no_dbc", "{path}: cannot be read as a DBC ({reason})")
    LARGE_DBC = Message(
        "log_opening.large_dbc", "{path}: is larger than {most} MB, which no DBC is"
    )


MOST_DBC_MB = 8


@dataclass(frozen=True)
class KeptDbc:
    """A DBC as the job keeps it: the name of its file and its text."""

    name: str
    text: str

    @property
    def kept(self) -> str:
        """As a setting of the job holds it."""
        return json.dumps({"name": self.name, "text": self.text})


def kept_dbc(setting: str) -> KeptDbc | None:
    """The DBC of a job's setting, None if there is none.

    Parameters
    ----------
    setting : as ``KeptDbc.kept`` gives it, perhaps damaged.

    Returns
    -------
    The DBC.
    """
    try:
        data = json.loads(setting or "null")
        return KeptDbc(str(data["name"]), str(data["text"])) if data else None
    except (ValueError, KeyError, TypeError):
        return None


def read_dbc(path: Path) -> KeptDbc:
    """A DBC from a file.

    Parameters
    ----------
    path : a text file.

    Returns
    -------
    Its name and text.

    Raises
    ------
    BadInputError
        If it cannot be read or is no DBC.
    """
    import cantools

    try:
        if path.stat().st_size > MOST_DBC_MB << 20:
            raise BadInputError(Say.LARGE_DBC(path=path, most=MOST_DBC_MB))
        # Byte for byte, so that the file the reader gets is the one the user gave.
        text = path.read_bytes().decode("latin-1")
        database: Any = cantools.database.load_string(text, database_format="dbc", strict=False)
        messages = database.messages
    except OSError as error:
        raise BadInputError(Say.NO_DBC(path=path, reason=error.strerror)) from error
    except BadInputError:
        raise
    # The library lets out parse errors of several kinds.
    except Exception as error:
        why = (str(error).splitlines() or [type(error).__name__])[0]
        raise BadInputError(Say.NO_DBC(path=path, reason=why)) from error
    if not messages:
        raise BadInputError(Say.NO_DBC(path=path, reason="it describes no frames"))
    return KeptDbc(path.name, text)


@dataclass(frozen=True, eq=False)
class Pending:
    """A log that is not in the job yet.

    Attributes
    ----------
    where : the round it was opened for, and the table of the one after it.
    place : which of the two, as far as the log itself and the hand-over tell.
    problem : why it cannot be used as it is, "" if it can.
    sheet : of a workbook, "" if it has one only.
    grows : whether it is a recording that still grows, of which only the answers are kept.
    """

    path: Path
    opened: OpenedLog
    choices: Choices
    problem: str
    where: Destination
    place: Place
    sheet: str = ""
    grows: bool = False

    @property
    def blocked(self) -> str:
        """Why it cannot be taken as it is shown, "" if it can; answers alone can always be."""
        return "" if self.grows else self.problem

    def stored(self) -> StoredLog:
        """As the job keeps it; slow enough to be done off the window's thread."""
        opened = self.opened
        return store_log(opened.log, opened.sha256, opened.mapped.raw.bookmarks)

    @property
    def asks(self) -> bool:
        """True if the user has to look at it."""
        return bool(self.opened.mapped.doubts) or (
            bool(self.problem) and bool(self.opened.mapped.unused)
        )


@dataclass(frozen=True, eq=False)
class Question:
    """A log that cannot be read before the user says one thing more.

    Attributes
    ----------
    need : what; ``allowed`` are the answers that make sense, where they are known.
    said : why, in a sentence.
    sheet : of the workbook, if that was answered already.
    shape : key of its columns, "" where they are not known yet.
    """

    path: Path
    where: Destination
    need: Need
    allowed: tuple[str, ...]
    said: str
    sheet: str = ""
    shape: str = ""


def read_pending(
    path: Path, choices: Choices, report: Report, where: Destination, sheet: str = "", dbc: str = ""
) -> Pending:
    """Read a log with what was said of it.

    Parameters
    ----------
    path : a log file.
    choices : the user's word on its columns.
    report : takes progress and tells of cancelling.
    where : the round it is opened for.
    sheet : of a workbook, "" if not said.
    dbc : the job's setting of that name.

    Returns
    -------
    The log as it waits to be added.

    Raises
    ------
    AskedError
        If the user has to say more before it can be read.
    LogError
        If it cannot be read.
    """

    def progress(share: float) -> bool:
        return report(0.9 * share, f"Opening {path.name}")

    vehicle = where.vehicle
    with _as_file(kept_dbc(dbc)) as known:
        opened = open_log(
            path,
            vehicle.stoich_afr,
            choices,
            progress,
            vehicle=vehicle,
            options=ReadOptions(sheet=sheet, dbc=known),
        )
    problem = ""
    place = where.place
    try:
        make_frame(opened.log, where.vehicle)
        place = where.place_of(opened.log)
    except LogError as error:
        problem = str(error)
    return Pending(path, opened, choices, problem, where, place, sheet)


@contextlib.contextmanager
def _as_file(dbc: KeptDbc | None) -> Iterator[Path | None]:
    """The DBC where the reader of traces can open it, under the name the user knows."""
    if dbc is None:
        yield None
        return
    with own_folder() as folder:
        path = folder / Path(dbc.name).name
        path.write_bytes(dbc.text.encode("latin-1", errors="replace"))
        yield path


def read_or_ask(
    path: Path,
    remembered: Mapping[str, Choices],
    report: Report,
    where: Destination,
    sheet: str = "",
    dbc: str = "",
) -> tuple[Pending, StoredLog] | Question:
    """Read a log, with what was said of others of its shape; a question if that is not enough.

    Parameters
    ----------
    path : a log file.
    remembered : the user's word by shape of the columns.
    report : takes progress and tells of cancelling.
    where : the round it is opened for.
    sheet : of a workbook, "" if not said.
    dbc : the job's setting of that name.

    Returns
    -------
    The log and how it is kept, or what has to be answered first.

    Raises
    ------
    LogError
        If it cannot be read whatever is answered.
    CancelledError
        If the user stopped it.
    """
    try:
        pending = read_pending(path, Choices(), report, where, sheet, dbc)
        shape = shape_of(pending.opened.mapped.raw.columns)
    except AskedError as error:
        shape = error.shape
        if error.need != "rate" or not remembered.get(shape, Choices()).rate_hz:
            return Question(path, where, error.need, error.allowed, str(error), sheet, shape)
    known = remembered.get(shape)
    if known is not None and known.said_anything:
        pending = read_pending(path, known, report, where, sheet, dbc)
    if not report(0.95, f"Keeping {path.name}"):
        raise CancelledError(Say.CANCELLED())
    return pending, pending.stored()

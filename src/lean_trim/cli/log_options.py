"""Options by which a command is told what a log means, and the refusal of logs that are in doubt."""

from __future__ import annotations

import argparse
import re
import shlex
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.data.channels import Role
from lean_trim.core.errors import AskedError, BadInputError, LogError, Need

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.formats.decode.columns import ReadOptions
    from lean_trim.formats.logs import OpenedLog
    from lean_trim.formats.meaning.choices import Choices
    from lean_trim.formats.meaning.match import MappedLog

TIME = "time"
NO_ROLE = "unused"
SHORT_NAMES = {
    re.sub(r"_(kpa|pct|c|v|ms|deg|kmh|measured|retard_deg|g_per_s)$", "", str(r)): r for r in Role
}
"""Names of roles without their unit: map, lambda, stft."""
ANSWERS: dict[Need, str] = {"sheet": "--sheet NAME", "rate": "--rate HZ", "dbc": "--dbc FILE"}
"""The option by which each question about a file is answered."""


@dataclass(frozen=True)
class LogWords:
    """What was said on the command line about the logs."""

    choices: Choices
    options: ReadOptions


def add_drive_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare what every command takes that looks at a drive and writes what it found."""
    parser.add_argument("--vehicle", required=True, type=Path)
    parser.add_argument("--log", required=True, type=Path, action="append")
    parser.add_argument("--out", required=True, type=Path)
    parser.add_argument(
        "--accept-doubts",
        action="store_true",
        help="take logs as they are read, whatever is in doubt",
    )
    add_log_options(parser)


def add_log_options(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="ROLE=NAME[:UNIT]",
        help="which column plays a role, and in which unit; ROLE is as 'lean-trim columns' shows "
        "it, or time",
    )
    parser.add_argument("--sheet", default="", metavar="NAME", help="the sheet of a workbook")
    parser.add_argument(
        "--rate", type=float, default=0.0, metavar="HZ", help="rows a second, without a time"
    )
    parser.add_argument(
        "--barometer",
        type=float,
        default=0.0,
        metavar="KPA",
        help="of the drive, where it is not logged",
    )
    parser.add_argument(
        "--dbc", type=Path, metavar="FILE", help="what the frames of a CAN trace mean"
    )


def log_words(args: argparse.Namespace) -> LogWords:
    """The options as they are understood.

    Raises
    ------
    BadInputError
        Naming the option and what is allowed.
    """
    from lean_trim.formats.decode.columns import ReadOptions
    from lean_trim.formats.meaning.choices import Choices, ColumnChoice
    from lean_trim.formats.meaning.pressure import BAROMETERS_KPA
    from lean_trim.formats.meaning.rows import RATES_HZ

    if args.barometer and not BAROMETERS_KPA[0] <= args.barometer <= BAROMETERS_KPA[1]:
        low, high = BAROMETERS_KPA
        raise BadInputError(f"--barometer {args.barometer:g}: allowed are {low:g} to {high:g} kPa")
    if args.rate and not RATES_HZ[0] <= args.rate <= RATES_HZ[1]:
        raise BadInputError(
            f"--rate {args.rate:g}: allowed are {RATES_HZ[0]:g} to {RATES_HZ[1]:g} Hz"
        )
    columns = {}
    time = ("", "")
    for word in args.column:
        role, name, unit = _column(word)
        if role == TIME:
            time = (name, unit)
        else:
            columns[name] = ColumnChoice(None if role == NO_ROLE else _role(role, word), unit)
    choices = Choices(columns, "mean", *time, args.rate, args.barometer)
    return LogWords(choices, ReadOptions(args.sheet, args.dbc))


def _column(word: str) -> tuple[str, str, str]:
    role, sign, rest = word.partition("=")
    if not sign or not rest.strip():
        raise BadInputError(
            f"--column {word!r} is not understood; write ROLE=NAME or ROLE=NAME:UNIT"
        )
    name, colon, unit = rest.rpartition(":")
    # A name may hold a colon itself; what stands behind the last one has to be a unit.
    if not colon or not _is_unit(unit):
        return role.strip(), rest.strip(), ""
    return role.strip(), name.strip(), unit.strip()


def _is_unit(text: str) -> bool:
    from lean_trim.formats.meaning.choices import two_point_scale
    from lean_trim.formats.meaning.unit_check import PERCENT_FORMS
    from lean_trim.formats.meaning.units import is_unit

    plain = text.strip()
    forms = {*PERCENT_FORMS, *(f.split(" ")[0] for f in PERCENT_FORMS)}
    return (
        is_unit(plain)
        or plain in forms
        or plain.lower().startswith("afr")
        or two_point_scale(plain) is not None
    )


def _role(name: str, word: str) -> Role:
    known = {str(r): r for r in Role} | SHORT_NAMES
    if name.lower() not in known:
        allowed = ", ".join([TIME, *map(str, Role), NO_ROLE])
        raise BadInputError(f"--column {word!r}: {name!r} is no role; allowed are {allowed}")
    return known[name.lower()]


def open_named(
    path: Path, vehicle: Vehicle | None, words: LogWords, stoich_afr: float = 14.7
) -> OpenedLog:
    """Open a log with what was said of it.

    Raises
    ------
    LogError
        If it cannot be read, or lacks a column that was named.
    """
    from lean_trim.formats.logs import open_log

    stoich = vehicle.stoich_afr if vehicle is not None else stoich_afr
    try:
        opened = open_log(path, stoich, words.choices, None, False, vehicle, words.options)
    except AskedError as error:
        raise LogError(f"{error} ({ANSWERS[error.need]})") from error
    names = {c.name for c in opened.mapped.raw.columns}
    missing = [n for n in words.choices.columns if n not in names]
    if missing:
        shown = ", ".join(sorted(names)[:40])
        raise LogError(f"{path}: has no column {missing[0]!r}; its columns are {shown}")
    return opened


def refuse_doubts(path: Path, mapped: MappedLog) -> None:
    """Stop at what is in doubt, naming the option that settles it.

    Raises
    ------
    LogError
        If anything is.
    """
    doubts = settling_options(mapped)
    if not doubts:
        return
    text, option = doubts[0]
    more = (
        f" ({len(doubts) - 1} more: lean-trim columns --log {path.name})" if len(doubts) > 1 else ""
    )
    how = f"settle it with {option}, or take it as read with --accept-doubts"
    raise LogError(f"{path}: {text.rstrip('.?')}; {how}{more}")


def settling_options(mapped: MappedLog) -> list[tuple[str, str]]:
    """Every doubt with the option that settles it.

    Returns
    -------
    Sentence and option.
    """
    from lean_trim.formats.meaning.pressure import wants_barometer
    from lean_trim.formats.meaning.units import show_unit

    out = []
    if mapped.time_doubt and mapped.time is not None:
        out.append((mapped.time_doubt, f"--column time={_quoted(mapped.time.name)}:UNIT"))
    for found in mapped.overlooked:
        names = [_quoted(c.name) for c in found.columns]
        ways = [f"--column {found.role}={name}" for name in names]
        none = " ".join(f"--column {NO_ROLE}={name}" for name in names)
        out.append((found.doubt, f"{' or '.join(ways)} ({none} if it was not logged)"))
    for match in mapped.matches:
        if not match.doubt:
            continue
        if wants_barometer(match.doubt):
            out.append((match.doubt, "--barometer KPA"))
            continue
        units = match.choices or (show_unit(match.unit) or "UNIT",)
        name = _quoted(match.columns[0].name)
        # What cannot be told is not chosen for the user.
        ways = [f"--column {match.role}={name}:{_quoted(unit)}" for unit in units]
        out.append((match.doubt, " or ".join(ways)))
    return out


def _quoted(text: str) -> str:
    return shlex.quote(text) if re.search(r"[^\w./%-]", text) else text

"""Dresses from vocabularies the program was not written from, and every option of every refusal followed.

Half of the names are held out while the word tables are worked on; the table tells them apart. Each
dress is marked clear or doubtful before it is tried.
"""

from __future__ import annotations

import argparse
import re
import shlex
import tempfile
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from campaigns.attacking.attack import attack
from campaigns.dresses import differences
from campaigns.dressing.cars import drive_of
from campaigns.dressing.dress import Dress
from campaigns.dressing.writing import write
from campaigns.runner import Campaign, Trial
from lean_trim.cli.log_options import add_log_options, log_words, open_named, settling_options
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.formats.meaning.match import MappedLog
from lean_trim.formats.meaning.missing import missing_roles

COUNT = 1000
MOST_FOLLOWED = 12
"""Options taken one after another before it is given up."""
_PLACEHOLDER = re.compile(r"(?<![\w'])(UNIT|KPA)\b")


def read_with(path: Path, vehicle: Vehicle, said: Sequence[str]) -> MappedLog:
    """The log as the command reads it with options."""
    parser = argparse.ArgumentParser(exit_on_error=False)
    add_log_options(parser)
    words = log_words(parser.parse_args(list(said)))
    mapped = open_named(path, vehicle, words).mapped
    lacks = [m for m in missing_roles(mapped.log, vehicle) if m.needed]
    if lacks and not mapped.doubts:
        raise BadInputError(str(lacks[0]))
    return mapped


def judge(dress: Dress, log: Log, vehicle: Vehicle, folder: Path) -> Trial:
    """Write the drive in a dress, read it, compare; and where it is asked, do as the option says.

    Returns
    -------
    ``outcome``: right, refused, asked or wrong; ``followed``: what became of it by its own options.
    """
    path = folder / "drive.log"
    write(log, dress, path)
    result: Trial = {"name": dress.name, "clear": dress.clear, "followed": ""}
    try:
        mapped = read_with(path, vehicle, ())
    except LeanTrimError as error:
        return {**result, "outcome": "refused", "why": str(error).replace(str(folder), "")}
    wrong = differences(mapped.log, log, dress, vehicle.airflow == "maf")
    if not mapped.doubts:
        return {**result, "outcome": "wrong" if wrong else "right", "why": "; ".join(wrong)}
    return {
        **result,
        "outcome": "asked",
        "why": mapped.doubts[0],
        "followed": _followed(path, vehicle, mapped, log, dress),
    }


def _followed(path: Path, vehicle: Vehicle, mapped: MappedLog, log: Log, dress: Dress) -> str:
    """What comes of taking the option that is named, again and again."""
    said: list[str] = []
    for _ in range(MOST_FOLLOWED):
        text, option = settling_options(mapped)[0]
        # What has to be filled in by hand cannot be followed literally.
        if _PLACEHOLDER.search(option) or " or --" in option:
            return "by hand"
        # The first two words are the option; what follows in brackets explains it.
        words = shlex.split(option)[:2]
        if any(words == said[i : i + 2] for i in range(0, len(said), 2)):
            return f"named twice: {option}"
        said += words
        try:
            mapped = read_with(path, vehicle, said)
        except LeanTrimError as error:
            return f"refused: {error}"
        if not mapped.doubts:
            wrong = differences(mapped.log, log, dress, vehicle.airflow == "maf")
            return f"wrong: {'; '.join(wrong)} after {text}" if wrong else "right"
    return "no end"


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    dress = attack(seed)
    vehicle, log = drive_of(dress.car)
    with tempfile.TemporaryDirectory() as scratch:
        found = judge(dress, log, vehicle, Path(scratch))
    return {**found, "held": bool(seed % 2)}


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r
        for r in results
        if r["outcome"] == "wrong" or str(r["followed"])[:5] in ("wrong", "named")
    ]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = ["| dresses | right | asked | refused | silently wrong |", "|---|---|---|---|---|"]
    for title, held in (("names worked on", False), ("names held out", True)):
        for kind, clear in (("clear", True), ("a person would ask", False)):
            some = [r for r in results if r["held"] == held and r["clear"] == clear]
            counts = Counter(r["outcome"] for r in some)
            shown = " | ".join(str(counts[k]) for k in ("right", "asked", "refused", "wrong"))
            lines.append(f"| {title}, {kind}: {len(some)} | {shown} |")
    ends = Counter(str(r["followed"]).partition(":")[0] for r in results if r["followed"])
    shown = ", ".join(f"{end} {count}" for end, count in ends.most_common())
    lines += ["", f"Options followed to their end: {shown}.", ""]
    lines += [
        f"- {r['name']}: {r['outcome']}, {r['why']} {r['followed']}"
        for r in results
        if r in _failed(results) or (r["clear"] and r["outcome"] != "right")
    ]
    return lines


CAMPAIGN = Campaign(
    title="Dresses in other words",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)

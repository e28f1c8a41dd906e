"""``lean-trim columns``: which column of a log plays which role, in which unit, how sure, and why."""

from __future__ import annotations

import argparse
import json
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lean_trim.cli.log_options import add_log_options, log_words, open_named, settling_options
from lean_trim.cli.parser import Subcommand

if TYPE_CHECKING:
    from lean_trim.formats.meaning.match import MappedLog


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    parser.add_argument("--log", required=True, type=Path)
    parser.add_argument("--vehicle", type=Path, help="the sheet by which what was read is proved")
    parser.add_argument("--json", action="store_true", help="for scripts")
    add_log_options(parser)


def run(args: argparse.Namespace) -> None:
    """Read, understand, print."""
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle = read_vehicle(args.vehicle)[0] if args.vehicle is not None else None
    mapped = open_named(args.log, vehicle, log_words(args)).mapped
    told = described(mapped)
    print(json.dumps(told, ensure_ascii=False, indent=1) if args.json else "\n".join(_lines(told)))


def described(mapped: MappedLog) -> dict[str, Any]:
    """What was understood of a log, as ``--json`` prints it."""
    from lean_trim.core.text import span_text
    from lean_trim.formats.meaning.channel_map import unit_shown
    from lean_trim.formats.meaning.unit_check import sample_of

    roles = []
    for match in mapped.matches:
        part = sample_of(mapped.log[match.role])
        span = span_text(float(part.min()), float(part.max())) if len(part) else "no numbers"
        roles.append(
            {
                "role": str(match.role),
                "columns": [c.name for c in match.columns],
                "unit": unit_shown(match),
                "sure": match.sureness,
                "range": span,
                "why": match.note,
                "doubt": match.doubt,
                "runner_up": match.runner_up,
                "odds": plain_odds(match.odds),
                "proofs": [{"verdict": p.verdict, "figure": str(p.said)} for p in match.proofs],
            }
        )
    time = mapped.time
    return {
        "kind": mapped.raw.kind,
        "rows": len(mapped.log),
        "seconds": round(mapped.log.duration_s, 3),
        "time": {
            "column": time.name if time else "",
            "unit": mapped.time_unit,
            "doubt": mapped.time_doubt,
            "runner_up": mapped.time_runner_up,
            "odds": plain_odds(mapped.time_odds),
        },
        "roles": roles,
        "unused": [c.name for c in mapped.unused],
        "notes": list(mapped.notes),
        "doubts": [{"doubt": text, "option": option} for text, option in settling_options(mapped)],
    }


def plain_odds(odds: float) -> float | None:
    """Odds to three digits; None where nothing was held against it."""
    return float(f"{odds:.3g}") if math.isfinite(odds) else None


def _lines(told: dict[str, Any]) -> list[str]:
    time = told["time"]
    clock = f"{time['column'] or 'of the file'} {time['unit']}".strip()
    lines = [f"{told['kind']}: {told['rows']} rows, {told['seconds']:g} s, time {clock}"]
    # What stands there and is not used comes first: it may be what was meant.
    lines += [f"note: {note}" for note in told["notes"]]
    for role in told["roles"]:
        names = " + ".join(role["columns"])
        lines.append(f"{role['sure']:6} {role['role']:20} {names} [{role['unit']}] {role['range']}")
        if role["why"]:
            lines.append(f"{'':27} {role['why']}")
        lines += [f"{'':27} {p['verdict']}: {p['figure']}" for p in role["proofs"]]
    if told["unused"]:
        lines.append(f"not used: {', '.join(told['unused'])}")
    lines += [f"doubt: {d['doubt']} ({d['option']})" for d in told["doubts"]]
    return lines


COMMAND = Subcommand("columns", "tell which column of a log plays which role", add_arguments, run)

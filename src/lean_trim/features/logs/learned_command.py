"""``lean-trim learned``: a map of trims read out of a self-learning ECU in, the corrected table out."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from lean_trim.cli.logs import warn
from lean_trim.cli.parser import Subcommand


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    parser.add_argument("--vehicle", required=True, type=Path)
    parser.add_argument("--map", required=True, type=Path, help="grid of long-term trims")
    parser.add_argument("--out", required=True, type=Path)
    parser.add_argument(
        "--rich-bias",
        type=float,
        default=0.0,
        help="how much richer than its target the ECU learns on purpose, 0 to 5 percent",
    )
    parser.add_argument(
        "--cells",
        choices=("percent", "fraction", "factor", "percent of 100"),
        default="",
        help="what the cells are written in; told by the cells if not given",
    )
    parser.add_argument("--json", action="store_true", help="print learned.json as well")


def run(args: argparse.Namespace) -> None:
    """Read, judge, correct, write."""
    import numpy as np

    from lean_trim.core.decision.proposal import quantise
    from lean_trim.core.learned.advice import remarks
    from lean_trim.core.learned.correction import correct_by
    from lean_trim.core.learned.reading import read_learned
    from lean_trim.core.text import cells_in_words, signed
    from lean_trim.features.logs.learned_json import learned_dict, write_learned
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.tables import write_table
    from lean_trim.formats.tables.block import block_of_file
    from lean_trim.formats.tables.learned_map import learned_map
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle, warnings = read_vehicle(args.vehicle)
    # Of two airflow tables it speaks of the grid.
    vehicle = vehicle.seen_by("ve")
    warn(() if args.quiet else warnings)
    before = vehicle.table
    reading = read_learned(learned_map(block_of_file(args.map), before, args.cells), args.rich_bias)
    found = correct_by(reading, before)
    changes = found.step_pct != 0.0
    wanted = before.values * (1.0 + found.step_pct / 100.0)
    held = before.values if before.own is None else before.own.own(before.values)
    values, _ = quantise(wanted, vehicle.limits.holding(held), before.own)
    # What is not changed stays to the digit, whatever the field's steps are.
    after = before.with_values(np.where(changes, values, before.values))
    make_folder(args.out)
    write_table(after, args.out / f"{vehicle.airflow}.csv")
    told = learned_dict(reading, found, before, after)
    write_learned(told, args.out / "learned.json")
    if args.json:
        print(json.dumps(told, ensure_ascii=False, indent=1))
    if args.quiet or args.json:
        return
    pct = found.step_pct[changes]
    span = f", by {signed(float(pct.min()))} to {signed(float(pct.max()))} %" if len(pct) else ""
    print(f"{cells_in_words(int(changes.sum()))} changed by the learned map{span}")
    if found.held.any():
        print(
            f"{cells_in_words(int(found.held.sum()))} above 80 kPa kept: a learned map alone takes no "
            "fuel out there"
        )
    for said in remarks(reading):
        print(said)


COMMAND = Subcommand(
    "learned", "correct the table by a map of trims the ECU learned", add_arguments, run
)

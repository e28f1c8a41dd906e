"""``lean-trim shift``: what a box between the oxygen sensor and the ECU is set to for a wanted lambda."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.cli.parser import Subcommand
from lean_trim.core.errors import BadInputError

if TYPE_CHECKING:
    from lean_trim.core.closed_loop_shift.response import Response
    from lean_trim.core.closed_loop_shift.shift_map import ShiftMap
    from lean_trim.core.data.tables import Table
    from lean_trim.core.types import Floats

BOX_STEPS_V = (0.001, 0.5)
OWN_LAMBDAS = (0.9, 1.1)
PETROL_AFR = 14.7
STOICH_AFRS = (5.0, 20.0)
VALUE_DIGITS = 3
FUEL_DIGITS = 1
CAUTION = (
    "Only where altering emission controls is lawful. It needs an independent wideband at load. Verify each "
    "cell below boost before boost is driven. Without the fuel fed forward the long-term trim learns the "
    "shift away and the mixture goes lean."
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    test = parser.add_mutually_exclusive_group(required=True)
    test.add_argument(
        "--steps",
        type=Path,
        metavar="FILE",
        help="the test, a row a settled step: offset or voltage (V), lambda or AFR, trim (%%)",
    )
    test.add_argument("--log", type=Path, metavar="FILE", help="a log of the test; with --column")
    parser.add_argument(
        "--column", default="", metavar="NAME", help="of the log: what the box was set to, V"
    )
    test.add_argument(
        "--second-pass",
        type=Path,
        metavar="LOG",
        help="a drive with the box; with --feed-forward: takes the remaining trims over",
    )
    parser.add_argument(
        "--wanted", type=Path, metavar="FILE", help="table of wanted lambda over pressure and speed"
    )
    parser.add_argument(
        "--feed-forward",
        type=Path,
        metavar="FILE",
        help="the fuel fed forward as it was driven, %%",
    )
    parser.add_argument(
        "--box-step", type=float, default=0.01, metavar="V", help="smallest step of the box (0.01)"
    )
    parser.add_argument(
        "--own",
        type=float,
        default=float("nan"),
        metavar="LAMBDA",
        help="lambda the loop holds by itself (default: that at 0 V, else 1)",
    )
    parser.add_argument(
        "--stoich-afr", type=float, default=PETROL_AFR, metavar="AFR", help="of the fuel (14.7)"
    )
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")


def run(args: argparse.Namespace) -> None:
    """Read the test, set every cell, write."""
    _within("--stoich-afr", args.stoich_afr, STOICH_AFRS)
    if args.second_pass is not None:
        _second_pass(args)
        return
    from lean_trim.core.closed_loop_shift.response import respond
    from lean_trim.core.closed_loop_shift.shift_map import shift_map
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.shift_steps import read_steps, steps_in_log
    from lean_trim.formats.tables.files import read_table

    if args.wanted is None:
        raise BadInputError("--wanted: name the table of wanted lambda")
    _within("--box-step", args.box_step, BOX_STEPS_V)
    if args.own == args.own:
        _within("--own", args.own, OWN_LAMBDAS)
    if args.log is not None and not args.column:
        raise BadInputError("--log: name the column of what the box was set to, with --column")
    steps = (
        read_steps(args.steps, args.stoich_afr)
        if args.log is None
        else steps_in_log(args.log, args.column, args.stoich_afr)
    )
    response = respond(steps, args.box_step, args.own)
    wanted = read_table(args.wanted, "target_lambda")
    made = shift_map(response, wanted.values)
    make_folder(args.out)
    _write(args.out, wanted, response, made)
    if not args.quiet:
        print(f"{wanted.values.size - len(made.refused)} cells set, {len(made.refused)} refused.")
        for said in dict.fromkeys(str(s) for s in made.refused.values()):
            print(f"refused: {said}")
        print(CAUTION)


def _second_pass(args: argparse.Namespace) -> None:
    """Take the trims that remain over into the fuel fed forward."""
    import numpy as np

    from lean_trim.core.closed_loop_shift.feed_forward import has_settled
    from lean_trim.core.closed_loop_shift.remaining import remaining_trims
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.logs import open_log
    from lean_trim.formats.tables.arrange import arrange
    from lean_trim.formats.tables.block import block_of_file
    from lean_trim.formats.whole_files import write_whole

    if args.feed_forward is None:
        raise BadInputError("--second-pass: name the fuel fed forward with --feed-forward")
    before = arrange(block_of_file(args.feed_forward))
    if before.rows is None or before.columns is None:
        raise BadInputError(f"{args.feed_forward}: pressure (kPa) and engine speed are missing")
    mapped = open_log(args.second_pass, args.stoich_afr).mapped
    # A trim in the wrong unit would be written into a table of fuel.
    if mapped.doubts:
        raise BadInputError(f"{args.second_pass}: {mapped.doubts[0]}")
    found = remaining_trims(mapped.log, before.rows, before.columns)
    after = found.fed_forward(before.cells)
    make_folder(args.out)
    text = _grid_text(before.rows, before.columns, after, FUEL_DIGITS)
    write_whole(args.out / "feed_forward.csv", text)
    if args.quiet:
        return
    known = np.isfinite(found.trim_pct)
    print(f"{int(known.sum())} of {known.size} cells driven for long enough.")
    if known.any():
        print(f"Largest remaining trim {np.nanmax(np.abs(found.trim_pct)):.1f} %.")
    if has_settled(found.trim_pct):
        print("Trims have settled where it was driven.")
    if found.stopped.any():
        print(
            f"{int(found.stopped.sum())} cells had a trim at its stop: they need more than it says."
        )
    print(CAUTION)


def _within(name: str, value: float, allowed: tuple[float, float]) -> None:
    low, high = allowed
    if not low <= value <= high:
        raise BadInputError(f"{name} {value:g}: allowed are {low:g} to {high:g}")


def _grid_text(rows: Floats, columns: Floats, values: Floats, digits: int) -> str:
    """A map of a box as CSV; it holds zeros and negative numbers, which no airflow table does."""
    lines = ["kPa\\rpm," + ",".join(f"{x:g}" for x in columns)]
    for row, numbers in zip(rows, values, strict=True):
        lines.append(",".join([f"{row:g}", *(f"{v:.{digits}f}" for v in numbers)]))
    return "\n".join(lines) + "\n"


def _write(folder: Path, wanted: Table, response: Response, made: ShiftMap) -> None:
    import numpy as np

    from lean_trim.formats.whole_files import write_whole

    rows, columns = (axis.points for axis in wanted.axes)
    # What is refused is not shifted; a box has to hold a number there.
    value, fuel = np.nan_to_num(made.value), np.nan_to_num(made.feed_forward_pct)
    write_whole(folder / "shift.csv", _grid_text(rows, columns, value, VALUE_DIGITS))
    write_whole(folder / "feed_forward.csv", _grid_text(rows, columns, fuel, FUEL_DIGITS))
    told = {
        "steps": [
            {"value_v": float(v), "lambda": round(float(x), 4), "trim_pct": round(float(t), 2)}
            for v, x, t in zip(response.value, response.lambda_, response.trim_pct, strict=True)
        ],
        "own_lambda": response.own,
        "noise_lambda": response.noise,
        "lambda_error": [
            [None if not np.isfinite(e) else round(float(e), 4) for e in row]
            for row in np.atleast_2d(made.error)
        ],
        "refused": [
            {"cell": list(at), "why": str(said)} for at, said in sorted(made.refused.items())
        ],
        "caution": CAUTION,
    }
    write_whole(folder / "shift.json", json.dumps(told, indent=1, ensure_ascii=False) + "\n")


COMMAND = Subcommand(
    "shift", "set a box between oxygen sensor and ECU for a wanted lambda", add_arguments, run
)

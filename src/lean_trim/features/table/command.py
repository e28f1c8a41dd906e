"""``lean-trim correct``: logs and a vehicle sheet in, the corrected table and round.json out."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand
from lean_trim.core.errors import BadInputError
from lean_trim.features.table.correcting import refuse_unsettled, solved, tell

if TYPE_CHECKING:
    from lean_trim.core.data.tables import Table
    from lean_trim.core.data.vehicle import Vehicle

REGIMES = ("idle", "part", "full", "boost")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)
    parser.add_argument("--method", choices=("surface", "average"), default="surface")
    parser.add_argument(
        "--gain",
        type=float,
        default=1.0,
        help="share of the wanted correction that is written, 0 to 1 (default 1)",
    )
    parser.add_argument(
        "--unvisited",
        choices=("filled", "keep", "carry", "taper", "sure"),
        default="filled",
        help="cells nobody drove: what the surface adds there (default), nothing, a neighbour's "
        "enrichment, "
        "the same halved with every cell, or as filled and also leaner where two standard errors "
        "leave it",
    )
    parser.add_argument(
        "--rich-bias", type=float, default=0.0, help="extra fuel in corrected cells, 0 to 5 percent"
    )
    parser.add_argument(
        "--regime-gain",
        action="append",
        default=[],
        metavar="REGIME=SHARE",
        help="idle, part, full or boost, 0 to 1",
    )
    parser.add_argument(
        "--extrapolate-end", action="store_true", help="carry a curve's last segment on"
    )
    parser.add_argument(
        "--supply-sound",
        action="store_true",
        help="fuel pressure was not logged, but measured otherwise at full throttle: write all of "
        "a need "
        "that grows with flow",
    )
    parser.add_argument(
        "--despite-swap",
        action="store_true",
        help="write the airflow table although the injectors are certainly not those of the sheet",
    )
    parser.add_argument(
        "--gauge",
        choices=("off", "right"),
        help="where the wideband and the narrowband loop beside it disagree: the wideband is off "
        "(its error "
        "is taken off everywhere), or it is right and the loop is off",
    )
    parser.add_argument(
        "--driven-on",
        action="append",
        default=[],
        metavar="LOG=TABLE",
        help="the table a log was driven on, if another",
    )
    parser.add_argument(
        "--sieve",
        action="append",
        default=[],
        metavar="RULE.KNOB=VALUE",
        help="turn a knob of the sieve",
    )
    parser.add_argument(
        "--sieve-off", action="append", default=[], metavar="RULE", help="switch a rule off"
    )


def run(args: argparse.Namespace) -> None:
    """Read, solve, propose, write."""
    from lean_trim.core.decision.proposal import PolicySettings
    from lean_trim.core.pipeline.proposing import propose_for
    from lean_trim.core.pipeline.solve import SolveSettings
    from lean_trim.core.sieve.sieve import SieveSettings
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.round_json import write_round
    from lean_trim.formats.tables import write_table
    from lean_trim.formats.vehicle_sheet import read_vehicle

    gains = _numbers(args.regime_gain, "--regime-gain", REGIMES)
    policy = PolicySettings(
        gain=args.gain,
        unvisited=args.unvisited,
        rich_bias_pct=args.rich_bias,
        extrapolate_end=args.extrapolate_end,
        supply_sound=args.supply_sound,
        gain_idle=gains.get("idle", 1.0),
        gain_part=gains.get("part", 1.0),
        gain_full=gains.get("full", 1.0),
        gain_boost=gains.get("boost", 1.0),
    )
    sieve = SieveSettings(changes=_numbers(args.sieve, "--sieve"), disabled=_rules(args.sieve_off))
    vehicle, warnings = read_vehicle(args.vehicle)
    tables = _driven_on(args.driven_on, args.log, vehicle)
    logs = Logs(args.log, vehicle, tables, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    settings = SolveSettings(method=args.method, sieve=sieve, gauge=args.gauge or "unsaid")
    if len(vehicle.airflow_tables) > 1:
        from lean_trim.features.table.blended_command import correct_blended

        correct_blended(args, logs, vehicle, settings, policy)
        return
    summary = solved(logs, vehicle, settings)
    refuse_unsettled(summary, args.despite_swap)
    proposal = propose_for(summary, policy)
    make_folder(args.out)
    write_table(proposal.table, args.out / f"{vehicle.airflow}.csv")
    write_round(summary, proposal, args.out / "round.json")
    if not args.quiet:
        tell(summary, proposal)


def _numbers(
    words: Sequence[str], option: str, allowed: Sequence[str] | None = None
) -> dict[str, float]:
    """NAME=NUMBER words as a mapping."""
    out = {}
    for word in words:
        name, _, number = word.partition("=")
        try:
            out[name] = float(number)
        except ValueError:
            raise BadInputError(f"{option} {word!r} is not understood; write NAME=NUMBER") from None
        if allowed is not None and name not in allowed:
            raise BadInputError(f"{option} {name!r} is not known; allowed are {', '.join(allowed)}")
    return out


def _rules(names: Sequence[str]) -> frozenset[str]:
    from lean_trim.core.sieve.sieve import RULE_BITS

    unknown = [n for n in names if n not in RULE_BITS]
    if unknown:
        raise BadInputError(
            f"--sieve-off {unknown[0]!r} is not a rule; allowed are {', '.join(RULE_BITS)}"
        )
    return frozenset(names)


def _driven_on(words: Sequence[str], logs: Sequence[Path], vehicle: Vehicle) -> dict[Path, Table]:
    """Tables that logs were driven on, by the log's path."""
    from lean_trim.formats.tables import read_table
    from lean_trim.formats.tables.form import form_of

    out = {}
    if words and len(vehicle.airflow_tables) > 1:
        raise BadInputError(
            "--driven-on does not say which of the airflow tables it is; correct logs of another "
            "revision with a sheet of that revision"
        )
    for word in words:
        log, _, table = word.partition("=")
        if Path(log) not in logs or not table:
            raise BadInputError(
                f"--driven-on {word!r}: write LOG=TABLE, where LOG is one of the logs given"
            )
        out[Path(log)] = read_table(Path(table), vehicle.airflow, form_of(vehicle.table))
    return out


COMMAND = Subcommand("correct", "write the corrected airflow table", add_arguments, run)

"""``lean-trim standin``: a simulated car with a socket, to record from without a car."""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.cli.parser import Subcommand
from lean_trim.core.errors import BadInputError

if TYPE_CHECKING:
    from lean_trim.core.data.log import Log
    from lean_trim.simcar.stand_in.terminal import Terminal

KINDS = ("obd", "can", "lines")
LOOK_S = 0.1
DELAY_S = 0.03
"""An adapter on USB answers thirty times a second or so."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    parser.add_argument("--vehicle", required=True, type=Path)
    parser.add_argument(
        "--socket",
        choices=KINDS,
        default="obd",
        help="an ECU behind an adapter, a bus that broadcasts (a DBC is written beside it), or a wideband "
        "that writes lines",
    )
    parser.add_argument("--link", required=True, type=Path, help="where the device is to be found")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--minutes", type=float, default=12.0)
    parser.add_argument("--fault", default="", help="drive with faults, as for simulate")


def run(args: argparse.Namespace) -> None:
    """Drive, and answer until the drive is over or Ctrl+C."""
    from lean_trim.formats.vehicle_sheet import read_vehicle
    from lean_trim.simcar.drive import simulate
    from lean_trim.simcar.faults import faults_of

    vehicle, _ = read_vehicle(args.vehicle)
    faults = faults_of(args.fault) if args.fault else None
    log = simulate(vehicle, args.seed, args.minutes, faults=faults)
    link = args.link.absolute()
    # A link of an earlier stand-in is replaced; anything else is somebody's file.
    if link.exists() and not link.is_symlink():
        raise BadInputError(f"{link} exists; name a place that is free")
    began = time.monotonic()
    with ExitStack() as stack:
        device, address = _device(args.socket, log, link, lambda: time.monotonic() - began)
        stack.enter_context(device)
        print(
            f"record with --source '{address}'; ends after {args.minutes:g} min or on Ctrl+C",
            flush=True,
        )
        while time.monotonic() - began < log.duration_s:
            time.sleep(LOOK_S)


def _device(kind: str, log: Log, link: Path, now: Callable[[], float]) -> tuple[Terminal, str]:
    from lean_trim.simcar.stand_in.adapter import Manner, StandInAdapter
    from lean_trim.simcar.stand_in.broadcast import SerialBus, StandInLines, dbc_text
    from lean_trim.simcar.stand_in.ecu import StandInEcu

    if kind == "obd":
        adapter = StandInAdapter(StandInEcu(log), link, now, Manner(delay_s=DELAY_S))
        return adapter, f"obd:{link}"
    if kind == "lines":
        return StandInLines(log, link, now), f"lines:{link}"
    dbc = link.with_suffix(".dbc")
    dbc.write_text(dbc_text(log), encoding="utf-8")
    return SerialBus(log, link, now), f"can:slcan/{link}?bitrate=500000&dbc={dbc}"


COMMAND = Subcommand("standin", "a simulated car with a socket, to record from", add_arguments, run)

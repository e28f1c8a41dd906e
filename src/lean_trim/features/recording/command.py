"""``lean-trim record``: log a running car, or tell what would be logged and how fast."""

from __future__ import annotations

import argparse
import signal
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lean_trim.cli.parser import Subcommand
from lean_trim.core.errors import BadInputError, CancelledError
from lean_trim.live.forms import FORMS

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.live.recorder import Recorder, SourceState

DRY_S = 6.0
LOOK_S = 0.1
TELL_S = 1.0
SECONDS = (0.5, 86_400.0)
# So long the asked-for seconds wait for every source to be heard: an adapter at an unknown rate, or a car
# that is searched for, takes that long.
CONNECT_S = 15.0


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    forms = "; ".join(FORMS.values())
    parser.add_argument(
        "--source",
        action="append",
        default=[],
        metavar="URL",
        help=f"several times for several: {forms}",
    )
    parser.add_argument("--vehicle", type=Path, help="the sheet by which channels are proved")
    parser.add_argument("--out", type=Path, metavar="FILE", help="what to write: .mf4 or .csv")
    parser.add_argument(
        "--seconds",
        type=float,
        metavar="N",
        help="end so long after every source is heard; else on Ctrl+C",
    )
    parser.add_argument(
        "--dry-run",
        action="store_true",
        help="tell what would be logged and how fast; write nothing",
    )
    parser.add_argument(
        "--recover", type=Path, metavar="FILE", help="write a recording that was cut off (.ltrec)"
    )


def run(args: argparse.Namespace) -> None:
    """Record, tell, or write what was cut off."""
    from lean_trim.formats.recording.export import check_ending

    if args.out is not None:
        check_ending(args.out)
    if args.recover is not None:
        _recover(args)
        return
    if not args.source or args.vehicle is None:
        raise BadInputError(
            "give --source and --vehicle; lean-trim record --help lists the sources"
        )
    if args.seconds is not None and not SECONDS[0] <= args.seconds <= SECONDS[1]:
        raise BadInputError(
            f"--seconds {args.seconds:g}: allowed are {SECONDS[0]:g} to {SECONDS[1]:g}"
        )
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle, warnings = read_vehicle(args.vehicle)
    for line in () if args.quiet else warnings:
        print(f"warning: {line}", file=sys.stderr)
    if args.dry_run:
        _dry_run(args, vehicle)
    elif args.out is None:
        raise BadInputError("give --out FILE (.mf4 or .csv), or --dry-run")
    else:
        _record(args, vehicle)


def _record(args: argparse.Namespace, vehicle: Vehicle) -> None:
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.recording.frames import SUFFIX
    from lean_trim.formats.recording.journal import Journal
    from lean_trim.live.recorder import Recorder
    from lean_trim.live.registry import make_sources
    from lean_trim.live.source import Clock

    make_folder(args.out.parent)
    kept = args.out.with_name(args.out.name + SUFFIX)
    if kept.exists():
        raise BadInputError(
            f"{kept} is of a recording that was cut off; write it with --recover {kept} --out FILE, or "
            "move it away"
        )
    clock = Clock()
    sources = make_sources(args.source, clock, vehicle)
    recorder = Recorder(sources, clock, Journal(kept), facts={"vehicle": vehicle.name})
    _until_done(recorder, args.seconds, args.quiet)
    _write(kept, args.out, args.quiet)
    if not args.quiet:
        _tell_roles(args.out, vehicle)


def _recover(args: argparse.Namespace) -> None:
    if args.out is None:
        raise BadInputError("give --out FILE (.mf4 or .csv)")
    _write(args.recover, args.out, args.quiet, keep=True)


def _write(kept: Path, out: Path, quiet: bool, keep: bool = False) -> None:
    """Write a recording out; until that has happened it stays as it is."""
    from lean_trim.formats.recording.export import write_recording
    from lean_trim.formats.recording.reading import read_recording

    try:
        recorded = read_recording(kept)
    except ValueError as error:
        raise BadInputError(f"{kept}: is no recording of ours") from error
    if not recorded.rows:
        if not keep:
            kept.unlink()
        raise CancelledError(f"nothing was received; {out} is not written")
    try:
        write_recording(recorded, out)
    except OSError as error:
        raise CancelledError(
            f"{out} cannot be written ({error.strerror}); what was recorded is in {kept}"
        ) from error
    if not keep:
        kept.unlink()
    if not quiet:
        count = sum(len(recorded.streams[n].channels) for n in recorded.rows)
        gaps = len(recorded.gaps)
        heard = f", {gaps} gaps" if gaps else ""
        print(f"{out}: {recorded.end_s:.1f} s, {count} channels{heard}.")


@contextmanager
def _ending() -> Iterator[threading.Event]:
    """An event that Ctrl+C and the end of the process set, once; the second time they act as usual."""
    stop = threading.Event()
    before: dict[signal.Signals, Any] = {}

    def end(number: int, frame: object) -> None:
        stop.set()
        for sign, handler in before.items():
            signal.signal(sign, handler)

    for sign in (signal.SIGINT, signal.SIGTERM):
        before[sign] = signal.signal(sign, end)
    try:
        yield stop
    finally:
        for sign, handler in before.items():
            signal.signal(sign, handler)


def _until_done(recorder: Recorder, seconds: float | None, quiet: bool) -> None:
    """Record until it is enough, telling how it stands."""
    told: dict[str, str] = {}
    trouble = ""
    recorder.start()
    began = recorder.clock.now()
    shown_s = began
    heard_s: float | None = None
    with _ending() as stop:
        while not stop.wait(LOOK_S):
            now = recorder.clock.now()
            state = recorder.state
            if heard_s is None and (
                all(source.readings for source in state.sources) or now - began > CONNECT_S
            ):
                heard_s = now
            enough = heard_s is not None and seconds is not None and now - heard_s >= seconds
            if recorder.is_over or enough:
                break
            if not quiet:
                for source in state.sources:
                    _tell_source(source, told)
            # That nothing is written any more is told whatever was asked for.
            said = "" if state.trouble is None else str(state.trouble)
            if said != trouble:
                trouble = said
                print(said or "the recording is being written again", file=sys.stderr)
            if not quiet and sys.stderr.isatty() and now - shown_s >= TELL_S:
                shown_s = now
                count = sum(s.readings for s in state.sources)
                print(f"\r{now - began:7.0f} s, {count:,} readings ", end="", file=sys.stderr)
    recorder.stop()
    state = recorder.state
    if not quiet:
        for source in state.sources:
            _tell_source(source, told)
        for source_made in recorder.sources:
            for doubt in source_made.doubts():
                print(f"note: {doubt}", file=sys.stderr)
    if state.trouble is not None and state.dropped:
        print(f"{state.dropped:,} readings could not be written and are lost", file=sys.stderr)


def _tell_source(source: SourceState, told: dict[str, str]) -> None:
    why = f": {source.said}" if source.said is not None else ""
    line = f"{source.address} {source.condition}{why}"
    if told.get(source.address) != line:
        told[source.address] = line
        print(line, file=sys.stderr)


def _dry_run(args: argparse.Namespace, vehicle: Vehicle) -> None:
    """Listen for a while, and tell what would be logged, how fast, and what that allows."""
    from lean_trim.formats.recording.frames import SUFFIX
    from lean_trim.formats.recording.journal import Journal
    from lean_trim.formats.recording.reading import read_recording
    from lean_trim.live.rates import rate_hz
    from lean_trim.live.recorder import Recorder
    from lean_trim.live.registry import make_sources
    from lean_trim.live.source import Clock

    with tempfile.TemporaryDirectory(prefix="lean-trim-") as folder:
        kept = Path(folder) / f"dry{SUFFIX}"
        clock = Clock()
        recorder = Recorder(make_sources(args.source, clock, vehicle), clock, Journal(kept))
        _until_done(recorder, args.seconds or DRY_S, args.quiet)
        recorded = read_recording(kept)
        if not recorded.rows:
            raise CancelledError("nothing was received")
        for number in sorted(recorded.rows):
            stream = recorded.streams[number]
            hz = rate_hz(recorded.rows[number][0])
            for channel in stream.channels:
                print(
                    f"{hz:7.1f} Hz  {channel.name} [{channel.unit}]  from {stream.source} {stream.name}"
                )
        _tell_roles(kept, vehicle)


def _tell_roles(path: Path, vehicle: Vehicle) -> None:
    """Which channel plays which role, what is in doubt, and what the rate allows."""
    from lean_trim.core.errors import LogError
    from lean_trim.formats.logs import open_log
    from lean_trim.live.rates import allowed_by, rates_in

    try:
        mapped = open_log(path, vehicle.stoich_afr, vehicle=vehicle).mapped
    except LogError as error:
        print(f"not understood as a log: {error}")
        return
    for match in mapped.matches:
        names = " + ".join(c.name for c in match.columns)
        print(f"{match.sureness:6} {match.role:20} {names}")
    for doubt in mapped.doubts:
        print(f"doubt: {doubt}")
    print(allowed_by(rates_in(mapped.log)).said)


COMMAND = Subcommand("record", "log a running car from its ECU, bus or sensors", add_arguments, run)

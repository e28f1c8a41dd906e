"""The sources: a new kind is a module here and a line in ``SOURCES``."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.live.address import Address, parse_address
from lean_trim.live.forms import FORMS
from lean_trim.live.source import Clock, Source


class Say:
    """Sentences of this module."""

    TWICE = Message("sources.twice", "{text} is given twice")
    OTHER_PACE = Message(
        "sources.other_pace",
        "{text} is played at another pace than it was driven; that cannot be recorded beside another source",
    )


@dataclass(frozen=True)
class Kind:
    """One kind of source.

    Attributes
    ----------
    scheme : what its address begins with.
    form : of an address, for people.
    make : from an address, the session's clock and the vehicle; BadInputError if the address is wrong.
    """

    scheme: str
    form: str
    make: Callable[[Address, Clock, Vehicle | None], Source]


def _can(address: Address, clock: Clock, vehicle: Vehicle | None) -> Source:
    from lean_trim.live.can.source import CanSource

    return CanSource(address, clock)


def _obd(address: Address, clock: Clock, vehicle: Vehicle | None) -> Source:
    from lean_trim.live.obd.source import ObdSource

    return ObdSource(address, clock)


def _lines(address: Address, clock: Clock, vehicle: Vehicle | None) -> Source:
    from lean_trim.live.lines.source import LinesSource

    return LinesSource(address, clock)


def _simulated(address: Address, clock: Clock, vehicle: Vehicle | None) -> Source:
    from lean_trim.live.simulated import SimulatedSource

    return SimulatedSource(address, clock, vehicle)


def _replay(address: Address, clock: Clock, vehicle: Vehicle | None) -> Source:
    from lean_trim.live.replay import ReplaySource

    return ReplaySource(address, clock)


SOURCES = (
    Kind("can", FORMS["can"], _can),
    Kind("obd", FORMS["obd"], _obd),
    Kind("lines", FORMS["lines"], _lines),
    Kind("sim", FORMS["sim"], _simulated),
    Kind("file", FORMS["file"], _replay),
)


def make_source(text: str, clock: Clock, vehicle: Vehicle | None = None) -> Source:
    """A source from its address; nothing is opened.

    Parameters
    ----------
    text : as typed.
    clock : of the session.
    vehicle : whose calibration a simulated car drives.

    Returns
    -------
    The source.

    Raises
    ------
    BadInputError
        If the address is wrong.
    """
    address = parse_address(text, [kind.scheme for kind in SOURCES])
    kind = next(k for k in SOURCES if k.scheme == address.scheme)
    return kind.make(address, clock, vehicle)


def make_sources(
    texts: Sequence[str], clock: Clock, vehicle: Vehicle | None = None
) -> tuple[Source, ...]:
    """Sources of one session, on one clock.

    Parameters
    ----------
    texts : addresses.
    clock : of the session.
    vehicle : whose calibration a simulated car drives.

    Returns
    -------
    The sources.

    Raises
    ------
    BadInputError
        If an address is wrong, stands there twice, or sources go at different paces.
    """
    for text in texts:
        if texts.count(text) > 1:
            raise BadInputError(Say.TWICE(text=text))
    sources = tuple(make_source(text, clock, vehicle) for text in texts)
    for source in sources:
        if len(sources) > 1 and not source.paced:
            raise BadInputError(Say.OTHER_PACE(text=source.address))
    return sources

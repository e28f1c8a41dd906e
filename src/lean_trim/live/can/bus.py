"""A bus that is listened to: nothing here can send."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.live.address import Address
from lean_trim.live.source import LostError


class Say:
    """Sentences of this module."""

    NO_CHANNEL = Message(
        "can_bus.no_channel",
        "{text}: give interface and channel, as in can:socketcan/can0?bitrate=500000&dbc=car.dbc",
    )
    NO_INTERFACE = Message(
        "can_bus.no_interface", "{text}: {name!r} is no interface; allowed: {allowed}"
    )
    CANNOT_OPEN = Message("can_bus.cannot_open", "the bus {channel} cannot be opened ({why})")
    GONE = Message("can_bus.gone", "the bus {channel} is not there any more ({why})")


BITRATES = (5_000.0, 1_000_000.0)
QUIET_OPTION = {"slcan": "listen_only"}
"""How an interface of python-can is told when it is opened not to acknowledge what it hears."""


@dataclass(frozen=True)
class BusAddress:
    """Interface and channel of a bus, and its bits a second (None: as it is set up)."""

    interface: str
    channel: str
    bitrate: int | None


def bus_address(address: Address, target: str) -> BusAddress:
    """Read a bus's address.

    Parameters
    ----------
    address : as typed, for its options and for words.
    target : INTERFACE/CHANNEL.

    Returns
    -------
    The address.

    Raises
    ------
    BadInputError
        If there is no such interface, or no channel.
    """
    import can

    interface, slash, channel = target.partition("/")
    if not slash or not channel:
        raise BadInputError(Say.NO_CHANNEL(text=address.text))
    if interface not in can.VALID_INTERFACES:
        allowed = ", ".join(sorted(can.VALID_INTERFACES))
        raise BadInputError(Say.NO_INTERFACE(text=address.text, name=interface, allowed=allowed))
    given = "bitrate" in address.options
    bitrate = round(address.number("bitrate", 0.0, *BITRATES)) if given else None
    return BusAddress(interface, channel, bitrate)


def open_bus(at: BusAddress, listens: bool) -> Any:
    """Open a bus.

    Parameters
    ----------
    at : which.
    listens : whether nothing is ever sent on it; then frames are not acknowledged either, where the interface
        can leave that.

    Returns
    -------
    The library's bus.

    Raises
    ------
    LostError
        If it cannot be opened now.
    """
    import can

    options: dict[str, Any] = {} if at.bitrate is None else {"bitrate": at.bitrate}
    quiet = QUIET_OPTION.get(at.interface, "")
    if listens and quiet:
        options[quiet] = True
    try:
        bus = can.Bus(interface=at.interface, channel=at.channel, **options)
    # Every interface of the library has errors of its own.
    except Exception as error:
        raise LostError(Say.CANNOT_OPEN(channel=at.channel, why=_why(error))) from error
    if listens and not quiet:
        # Some interfaces can be told afterwards, others cannot at all.
        with suppress(Exception):
            bus.state = can.BusState.PASSIVE
    return bus


class ListeningBus:
    """A bus that is only heard.

    Parameters
    ----------
    at : which.
    """

    def __init__(self, at: BusAddress) -> None:
        self.at = at
        self._bus: Any = None

    def open(self) -> None:
        """Begin to hear it; LostError if it cannot be opened now."""
        self.close()
        self._bus = open_bus(self.at, listens=True)

    def receive(self, wait_s: float) -> Any:
        """The next frame, or None if none came in time; LostError if the bus is gone."""
        try:
            return self._bus.recv(wait_s)
        except Exception as error:
            self.close()
            raise LostError(Say.GONE(channel=self.at.channel, why=_why(error))) from error

    def close(self) -> None:
        """Let it go."""
        if self._bus is not None:
            with suppress(Exception):
                self._bus.shutdown()
            self._bus = None


def _why(error: BaseException) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0][:160]

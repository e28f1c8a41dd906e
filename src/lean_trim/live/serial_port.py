"""A serial device, a pseudo-terminal or a TCP address the user typed, read without waiting long."""

from __future__ import annotations

import os
from contextlib import suppress
from typing import Any

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.live.address import Address
from lean_trim.live.source import LostError


class Say:
    """Sentences of this module."""

    NO_DEVICE = Message(
        "serial_port.no_device", "{text}: give a device such as /dev/ttyUSB0, or socket://HOST:PORT"
    )
    CANNOT_OPEN = Message("serial_port.cannot_open", "{target} cannot be opened ({why})")
    GONE = Message("serial_port.gone", "{target} does not answer any more ({why})")


SOCKET = "socket://"
BAUDS = (300.0, 3_000_000.0)
"""Bits a second anybody may name."""
CHUNK = 4096


def check_target(address: Address) -> None:
    """BadInputError where an address names neither a device nor a TCP address."""
    target = address.target
    host, _, port = target.removeprefix(SOCKET).rpartition(":")
    by_net = target.startswith(SOCKET) and host and port.isdigit() and int(port) < 1 << 16
    # Other schemes of the library would open files, loops or search for devices.
    if not by_net and not (target.startswith("/") and "://" not in target):
        raise BadInputError(Say.NO_DEVICE(text=address.text))


class SerialPort:
    """Bytes from and to a device.

    Parameters
    ----------
    target : a device, or ``socket://HOST:PORT``.
    baud : bits a second; means nothing for TCP.
    """

    def __init__(self, target: str, baud: int) -> None:
        self.target = target
        self.baud = baud
        self._port: Any = None

    def open(self) -> None:
        """Open it; LostError if it cannot be opened now."""
        import serial

        self.close()
        try:
            self._port = serial.serial_for_url(self.target, baudrate=self.baud, timeout=0.0)
        # The library lets errors of the system and its own out.
        except (OSError, ValueError) as error:
            raise LostError(Say.CANNOT_OPEN(target=self.target, why=_why(error))) from error

    def read(self, wait_s: float) -> bytes:
        """What has come; empty if nothing came in time.

        Parameters
        ----------
        wait_s : the longest to wait for a first byte.

        Returns
        -------
        At most ``CHUNK`` bytes.

        Raises
        ------
        LostError
            If the device is gone.
        """
        try:
            self._port.timeout = wait_s
            first = bytes(self._port.read(1))
            if not first:
                return b""
            self._port.timeout = 0.0
            return first + bytes(self._port.read(CHUNK))
        except (OSError, TypeError, AttributeError) as error:
            self.close()
            raise LostError(Say.GONE(target=self.target, why=_why(error))) from error

    def write(self, data: bytes) -> None:
        """Send bytes; LostError if the device is gone."""
        try:
            self._port.write(data)
        except (OSError, TypeError, AttributeError) as error:
            self.close()
            raise LostError(Say.GONE(target=self.target, why=_why(error))) from error

    def close(self) -> None:
        """Let it go."""
        if self._port is not None:
            with suppress(OSError):
                self._port.close()
            self._port = None


def _why(error: BaseException) -> str:
    # The library's own words name the device once more, and the error by its number.
    number = getattr(error, "errno", None)
    words = os.strerror(number) if number else str(error) or type(error).__name__
    return str(words).splitlines()[0][:120]

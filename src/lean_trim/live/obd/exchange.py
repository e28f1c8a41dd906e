"""Requests to ECUs and their answers, whatever lies between."""

from __future__ import annotations

from typing import Protocol

from lean_trim.live.obd.answers import Heard


class Exchange(Protocol):
    """Asks ECUs.

    Attributes
    ----------
    most : parameters one request may name.
    counts_codes : whether an answer with fault codes begins with their number, as on CAN.
    """

    most: int
    counts_codes: bool

    def open(self) -> None:
        """Reach the car; LostError if it cannot be reached now."""
        ...

    def ask(self, data: bytes) -> Heard:
        """Send a request and hear what comes; LostError if the way there is gone.

        Parameters
        ----------
        data : service and parameters.

        Returns
        -------
        What was heard; no answers where nobody had one.
        """
        ...

    def close(self) -> None:
        """Let it go."""
        ...

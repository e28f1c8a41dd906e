"""Which window may write to a job file.

A row in the file names it, and what became of that process decides if it still holds.
"""

from __future__ import annotations

import os
import socket
import uuid
from dataclasses import dataclass, field
from pathlib import Path

START_TIME_FIELD = 19
"""Place of the start time, in clock ticks since boot, after the name in /proc/PID/stat (proc(5),
field 22).
"""


@dataclass(frozen=True)
class Owner:
    """Who holds a job file. ``token`` is new for every window.

    ``started`` tells a process from a later one of that pid.
    """

    token: str
    host: str
    pid: int
    started: str
    since: str = field(compare=False, default="")

    @property
    def alive(self) -> bool:
        """True if that process may still be running; a process on another machine may always be."""
        # A pid is given again soon after a crash; the start time is not.
        return self.host != socket.gethostname() or started_of(self.pid) == self.started

    @property
    def described(self) -> str:
        """For a sentence, as in "is open in another window"."""
        if self.host != socket.gethostname():
            return f"another window on {self.host}, since {self.since}"
        return (
            "another window on this computer"
            if self.pid != os.getpid()
            else "another window of this program"
        )


def started_of(pid: int) -> str:
    """When a process of this machine started, as the kernel tells it.

    "" if there is none or the kernel does not tell.

    Returns clock ticks since boot, as text.
    """
    try:
        stat = Path(f"/proc/{pid}/stat").read_text(encoding="ascii", errors="replace")
    except OSError:
        return ""
    # The name may hold spaces and brackets of its own; what follows the last bracket does not.
    after_name = stat.rpartition(")")[2].split()
    return after_name[START_TIME_FIELD] if len(after_name) > START_TIME_FIELD else ""


def this_window(since: str) -> Owner:
    """A new owner: this process, a new token.

    Parameters
    ----------
    since : the present moment, ISO 8601.

    Returns
    -------
    A new owner.
    """
    return Owner(
        uuid.uuid4().hex, socket.gethostname(), os.getpid(), started_of(os.getpid()), since
    )

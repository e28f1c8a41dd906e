"""The child: loads a reader's code once, then forks for every file and reads it within limits.

What it is told comes as datagrams on a socket it inherits: a file with the two pipes of the conversation
about it, or a conversation that is to end. It goes when its parent is gone, or when it has had nothing to
do for a while.
"""

from __future__ import annotations

import importlib
import json
import os
import resource
import select
import signal
import socket
import sys
from pathlib import Path
from typing import Any, BinaryIO

from lean_trim.formats.decode.apart.protocol import DATAGRAM, RefusedError, say, send_array
from lean_trim.formats.decode.apart.readers import FILE_READERS

MEMORY_BYTES = 768 << 20
"""What reading may take beyond the reader's own code, as address space; and so many times the
file's size:"""
MEMORY_PER_BYTE = 6
IDLE_S = 180.0
"""How long the loaded code is kept for another file."""


def main() -> None:
    """Serve the kind of file and the socket that are named in the arguments."""
    kind, descriptor = sys.argv[1:3]
    for module in FILE_READERS[kind].modules:
        importlib.import_module(module)
    # What libraries print must not get into a conversation.
    os.dup2(2, 1)
    control = socket.socket(fileno=int(descriptor))
    control.send(b'{"ready": true}')
    living: set[int] = set()
    while living or select.select([control], [], [], IDLE_S)[0]:
        data, descriptors, _, _ = socket.recv_fds(control, DATAGRAM, 2)
        if not data:
            break
        told = json.loads(data)
        if "end" in told:
            living.discard(told["end"])
            _end(told["end"])
            control.send(json.dumps({"ended": told["end"]}).encode())
            continue
        pid = os.fork()
        if not pid:
            control.close()
            _converse(kind, told, *descriptors)
        living.add(pid)
        for number in descriptors:
            os.close(number)
        control.send(json.dumps({"pid": pid}).encode())
    for pid in living:
        _end(pid)


def _end(pid: int) -> None:
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)


def _converse(kind: str, told: dict[str, Any], words_in: int, words_out: int) -> None:
    out = os.fdopen(words_out, "wb")
    try:
        _limit(Path(told["path"]), int(told["seconds"]))
        _read(kind, told, os.fdopen(words_in, "rb"), out)
    except RefusedError as error:
        say(out, {"refused": str(error), "need": error.need})
    except MemoryError:
        say(out, {"failed": "it needs more memory than a log of its size can need"})
    # Libraries let out all kinds of errors on damaged files; every one of them is a file that
    # cannot be read.
    except BaseException as error:
        lines = str(error).splitlines()
        reason = f"{type(error).__name__}: {lines[0][:200] if lines else ''}".rstrip(": ")
        say(out, {"failed": reason})
    # The file may have left the libraries in a state in which tearing them down fails.
    os._exit(0)


def _read(kind: str, told: dict[str, Any], words: BinaryIO, out: BinaryIO) -> None:
    contents = FILE_READERS[kind].open(Path(told["path"]), told["options"])
    say(out, {"channels": [[c.name, c.unit, c.group] for c in contents.channels]})
    wanted = json.loads(words.readline() or b"[]")
    values, times = contents.load(wanted)
    for group, stamps in times.items():
        send_array(out, "times", group, stamps)
    for channel, numbers in values.items():
        send_array(out, "values", channel, numbers)
    doubts = list(contents.doubts.items())
    say(out, {"done": True, "notes": contents.notes, "doubts": doubts})


def _limit(path: Path, seconds: int) -> None:
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = pages * resource.getpagesize() + MEMORY_BYTES + MEMORY_PER_BYTE * path.stat().st_size
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    # Whoever should end it may be gone.
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))


if __name__ == "__main__":
    main()

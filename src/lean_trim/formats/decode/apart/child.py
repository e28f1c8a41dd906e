"""The child: reads one file within limits of memory and time, and hands its channels over."""

from __future__ import annotations

import importlib
import json
import os
import resource
import sys
from pathlib import Path

from lean_trim.formats.decode.apart.protocol import RefusedError, say, send_array
from lean_trim.formats.decode.apart.readers import FILE_READERS

MEMORY_BYTES = 768 << 20
"""What reading may take beyond the reader's own code, as address space; and so many times the
file's size:"""
MEMORY_PER_BYTE = 6


def main() -> None:
    """Read the file that is named in the arguments: kind, path, options as JSON."""
    kind, path, options = sys.argv[1:4]
    # What libraries print must not get between the arrays.
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    reader = FILE_READERS[kind]
    for module in reader.modules:
        importlib.import_module(module)
    _limit_memory(Path(path))
    say(out, {"ready": True})
    try:
        contents = reader.open(Path(path), json.loads(options))
        say(out, {"channels": [[c.name, c.unit, c.group] for c in contents.channels]})
        wanted = json.loads(sys.stdin.readline() or "[]")
        values, times = contents.load(wanted)
        for group, stamps in times.items():
            send_array(out, "times", group, stamps)
        for channel, numbers in values.items():
            send_array(out, "values", channel, numbers)
        doubts = list(contents.doubts.items())
        say(out, {"done": True, "notes": contents.notes, "doubts": doubts})
    except RefusedError as error:
        say(out, {"refused": str(error), "need": error.need})
    except MemoryError:
        say(out, {"failed": "it asks for more memory than a log of its size can need"})
    # Libraries let out all kinds of errors on damaged files; every one of them is a file that
    # cannot be read.
    except BaseException as error:
        lines = str(error).splitlines()
        say(
            out,
            {"failed": f"{type(error).__name__}: {lines[0][:200] if lines else ''}".rstrip(": ")},
        )
    out.flush()
    # The file may have left the libraries in a state in which tearing them down fails.
    os._exit(0)


def _limit_memory(path: Path) -> None:
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = pages * resource.getpagesize() + MEMORY_BYTES + MEMORY_PER_BYTE * path.stat().st_size
    resource.setrlimit(resource.RLIMIT_AS, (most, most))


if __name__ == "__main__":
    main()

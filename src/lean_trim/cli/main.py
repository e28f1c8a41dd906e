"""``lean-trim``: which command was meant, and how failures end."""

from __future__ import annotations

import errno
import gc
import os
import sys
from collections.abc import Sequence
from typing import NoReturn

from lean_trim.cli import window
from lean_trim.cli.parser import LOG_LEVELS, build_parser
from lean_trim.core.errors import BadInputError, CancelledError, LeanTrimError
from lean_trim.features.feature import Feature, commands_of
from lean_trim.features.registry import FEATURES

DONE = 0
CANNOT = 1
BAD_INPUT = 2
"""Exit codes: done; could not, through no fault of the input; input that cannot be used."""
CANNOT_ERRNO = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EROFS, errno.ENOMEM})
LEVEL_OPTION = "--log-level"
OPTIONS = ("-h", "--help", "--version", "--quiet", "--demo", LEVEL_OPTION)
"""What may stand before a command."""


def main(argv: Sequence[str] | None = None, features: Sequence[Feature] = FEATURES) -> int:
    """Entry point.

    Returns
    -------
    0 when done, 1 if it could not be done (disk full, cancelled), 2 on bad input; one line on
    stderr tells why.
    """
    # Small linear systems are slower on several threads; this has to be said before NumPy is
    # loaded.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    words = list(sys.argv[1:] if argv is None else argv)
    commands = commands_of(features)
    names = [command.name for command in commands]
    try:
        # The window takes no other option, so it is told apart before the parser sees the words.
        plain, level = _without_level(words)
        if (
            not plain
            or plain[0] == window.DEMO
            or not (plain[0].startswith("-") or plain[0] in names)
        ):
            return window.run(plain, features, level)
        if plain[0].startswith("-") and plain[0].partition("=")[0] not in OPTIONS:
            raise BadInputError(f"{plain[0]!r} is not an option; lean-trim --help lists them")
        args = build_parser(commands).parse_args(words)
        args.run(args)
    except (CancelledError, KeyboardInterrupt) as error:
        return _failed(str(error) or "cancelled", CANNOT)
    except LeanTrimError as error:
        return _failed(str(error), BAD_INPUT)
    except OSError as error:
        return _failed(str(error), CANNOT if error.errno in CANNOT_ERRNO else BAD_INPUT)
    return DONE


ENOUGH_OBJECTS = 50_000
"""Python's collector looks for garbage every 700 new objects; imports make hundreds of thousands,
none of it
garbage."""


def run_as_process() -> NoReturn:
    """``main`` as the whole of a process, which ends without tearing the compiler down object by object."""
    gc.set_threshold(ENOUGH_OBJECTS, 20, 50)
    code = main()
    if not set(sys.argv[1:]) & {command.name for command in commands_of(FEATURES)}:
        # The window keeps its log and its job file open until Python ends in order.
        sys.exit(code)
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except OSError:
        # Whoever read the output has gone.
        code = code or CANNOT
    os._exit(code)


def _failed(text: str, code: int) -> int:
    print(f"lean-trim: {text}", file=sys.stderr)
    return code


def _without_level(words: list[str]) -> tuple[list[str], str]:
    """The words without ``--log-level LEVEL`` in front, and the level; the window takes no other option."""
    if words[:1] == [LEVEL_OPTION] and len(words) > 1 and words[1] in LOG_LEVELS:
        return words[2:], words[1]
    return words, "info"

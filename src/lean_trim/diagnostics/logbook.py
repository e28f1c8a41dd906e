"""A rotating log in the user's state folder, and hooks that write everything there that nobody caught."""

from __future__ import annotations

import faulthandler
import logging
import sys
import threading
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import IO

from lean_trim import __version__

LOGGER = logging.getLogger("lean_trim")
LOG_NAME = "lean-trim.log"
CRASH_NAME = "crash.log"
LARGEST_BYTES = 1_000_000
KEPT_FILES = 3
FORMAT = "%(asctime)s %(levelname)s %(threadName)s %(name)s: %(message)s"
Escaped = Callable[[str], None]

_crash_file: IO[str] | None = None
_told: list[Escaped] = []


def state_folder() -> Path:
    """Where the log is kept."""
    from platformdirs import user_state_path

    return user_state_path("lean-trim", appauthor=False)


def start_logbook(folder: Path, level: str = "info") -> Path | None:
    """Write a log in a folder from now on, and catch what escapes; None if the folder cannot be written to.

    Parameters
    ----------
    level : least severity that is written, as ``logging`` names them in lower case.
    """
    global _crash_file
    LOGGER.setLevel(level.upper())
    _install_hooks()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / LOG_NAME
        handler = RotatingFileHandler(
            path, maxBytes=LARGEST_BYTES, backupCount=KEPT_FILES, encoding="utf-8"
        )
        # Kept open: when the process is already broken there is no opening a file.
        _crash_file = (folder / CRASH_NAME).open("w", encoding="utf-8")
    except OSError as error:
        LOGGER.warning("no log is written: %s", error)
        return None
    handler.setFormatter(logging.Formatter(FORMAT))
    for earlier in [h for h in LOGGER.handlers if isinstance(h, RotatingFileHandler)]:
        LOGGER.removeHandler(earlier)
        earlier.close()
    LOGGER.addHandler(handler)
    faulthandler.enable(_crash_file)
    LOGGER.info("Lean Trim %s on Python %s", __version__, sys.version.split()[0])
    return path


def on_escape(call: Escaped) -> None:
    """Have something called with a short text for every error nobody caught.

    From the thread it happened in.
    """
    _told.append(call)


def forget_escape(call: Escaped) -> None:
    """No longer call it."""
    if call in _told:
        _told.remove(call)


def _install_hooks() -> None:
    sys.excepthook = _escaped
    threading.excepthook = _escaped_in_thread
    sys.unraisablehook = _unraisable


def _escaped(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """Also called for errors in Qt slots."""
    if issubclass(kind, KeyboardInterrupt):
        sys.__excepthook__(kind, error, trace)
        return
    LOGGER.critical("nobody caught this", exc_info=(kind, error, trace))
    for call in tuple(_told):
        try:
            call(f"{kind.__name__}: {error}")
        # A window that is gone must not keep the others from hearing of it.
        except RuntimeError:
            _told.remove(call)


def _escaped_in_thread(args: threading.ExceptHookArgs) -> None:
    error = args.exc_value if args.exc_value is not None else args.exc_type()
    _escaped(args.exc_type, error, args.exc_traceback)


def _unraisable(args: sys.UnraisableHookArgs) -> None:
    """Errors in destructors and callbacks: written, not told, since nothing of the user's was under way."""
    if args.exc_value is not None:
        LOGGER.error(
            "in %r", args.object, exc_info=(args.exc_type, args.exc_value, args.exc_traceback)
        )

"""``lean-trim``, ``lean-trim --demo``, ``lean-trim JOBFILE``, ``lean-trim LOG``: open the window."""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.features.feature import Feature, commands_of

DEMO = "--demo"
CLOSE_ENOUGH = 0.6
"""Likeness, 0 to 1, from which a word counts as a slip for a command's name."""


def run(words: Sequence[str], features: Sequence[Feature], log_level: str) -> int:
    """Open the window on nothing, the demo job or a job file; returns the exit code.

    Raises
    ------
    BadInputError
        If the words name neither.
    """
    demo = bool(words) and words[0] == DEMO
    # A slip in a command's name is told as that, whatever words follow it.
    if words and not demo:
        _check_job_file(words[0], [command.name for command in commands_of(features)])
    if len(words) > 1 + demo:
        raise BadInputError("one job file at a time, or --demo and the name of a car")
    if demo:
        from lean_trim.simcar.cars import car_named

        for name in words[1:]:
            car_named(name)
    from lean_trim.ui.window.app import run_application

    return run_application(words, features, log_level)


def _check_job_file(word: str, commands: Sequence[str]) -> None:
    path = Path(word)
    if path.is_file():
        return
    known = ", ".join(commands)
    # A word without folder and ending was meant as a command.
    if path.suffix == "" and path.name == word:
        meant = difflib.get_close_matches(word, commands, n=1, cutoff=CLOSE_ENOUGH)
        hint = f"; did you mean {meant[0]!r}?" if meant else ";"
        raise BadInputError(
            f"{word!r} is neither a command nor a job file{hint} The commands are {known}"
        )
    raise BadInputError(f"{word}: no such job file")

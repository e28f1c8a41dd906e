"""What was worked out of rounds, kept with them under everything it depends on, to be shown at once."""

from __future__ import annotations

import hashlib
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable

from lean_trim import __version__
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import KeptAnswer
from lean_trim.job.results import digest
from lean_trim.workspace.open_job import OpenJob

COMPUTING = "core"
"""The package whose code answers depend on."""


class KeptAnswers:
    """Answers of the open job's rounds. They can be worked out again, so that none is worth a complaint."""

    def __init__(self, open_job: OpenJob) -> None:
        self.open = open_job

    def find(self, round_id: int, kind: str) -> KeptAnswer | None:
        """What is kept.

        Parameters
        ----------
        round_id : a round.
        kind : what it is.

        Returns
        -------
        None where nothing is. Whether it still holds is for whoever asks, by its key.
        """
        store = self.open.store
        return None if store is None else store.kept_answer(round_id, kind)

    def keep(self, round_id: int, kind: str, key: str, data: bytes) -> None:
        """Keep an answer; nothing happens where the file cannot be written.

        Parameters
        ----------
        round_id : a round.
        kind : what it is.
        key : what it depends on, see ``key_of``.
        data : as ``job.results.packed`` makes it.
        """
        if self.open.read_only or self.open.round_of(round_id) is None:
            return
        answer = KeptAnswer(key, data)
        try:
            self.open.commit(lambda store: store.keep_answer(round_id, kind, answer))
        except SaveFailedError:
            # Whatever the user does next is refused as well, and told then.
            return


def key_of(*parts: object) -> str:
    """A key of everything an answer depends on.

    Parameters
    ----------
    parts : frozen records of ``lean_trim.core``, arrays and plain values.

    Returns
    -------
    Letters that are others for any other parts, and for other code.
    """
    return digest((program_mark(), parts))


@cache
def program_mark() -> str:
    """The version and what its computing code holds: a version that is being worked on changes by the hour.

    Returns letters that are others for other code.
    """
    sums = hashlib.sha256(__version__.encode())
    for name, text in _code(files("lean_trim") / COMPUTING, COMPUTING):
        sums.update(f"{name}:{len(text)}:".encode())
        sums.update(text)
    return f"{__version__}-{sums.hexdigest()}"


def _code(place: Traversable, name: str) -> list[tuple[str, bytes]]:
    found = []
    for entry in sorted(place.iterdir(), key=lambda e: e.name):
        inner = f"{name}/{entry.name}"
        if entry.is_dir():
            found += _code(entry, inner)
        elif entry.name.endswith(".py"):
            found.append((inner, entry.read_bytes()))
    return found

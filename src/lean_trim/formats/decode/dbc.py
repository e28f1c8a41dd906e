"""What the frames of a bus mean: a DBC, for traces that are read and for buses that are heard."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    BAD_DBC = Message("dbc.bad", "the DBC {dbc} cannot be read ({why})")


EXTENDED = 1 << 31
"""Set in the key of an identifier of 29 bits."""


def key_of(frame_id: int, is_extended: bool) -> int:
    """Under which a frame's message is found."""
    return frame_id | (EXTENDED if is_extended else 0)


def load_dbc(path: Path) -> dict[int, Any]:
    """Messages of a DBC by ``key_of`` their identifier.

    Parameters
    ----------
    path : of the file.

    Returns
    -------
    Messages of cantools.

    Raises
    ------
    BadInputError
        If it cannot be read.
    """
    import cantools

    try:
        database: Any = cantools.database.load_file(path, database_format="dbc", strict=False)
    # The library lets out parse errors of several kinds.
    except Exception as error:
        why = (str(error).splitlines() or [type(error).__name__])[0]
        raise BadInputError(Say.BAD_DBC(dbc=path, why=why)) from error
    return {key_of(m.frame_id, m.is_extended_frame): m for m in database.messages}

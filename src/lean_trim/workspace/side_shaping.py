"""Shaping tables beside the airflow table, of which no drive tells how sure a cell is."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.shaping import Shape, no_evidence, shaped
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """What shaping such tables says."""

    SMOOTH = Message("side_shaping.smooth", "Smooth the {what}")
    BLEND = Message("side_shaping.blend", "Blend the {what}")
    STRAIGHTEN = Message("side_shaping.straighten", "Straighten the {what}")


SHAPE_WORDS = {Shape.SMOOTH: Say.SMOOTH, Shape.BLEND: Say.BLEND, Shape.STRAIGHTEN: Say.STRAIGHTEN}
"""What is done, by shape; to fill such a table is to accept what is asked."""


def shaped_freely(how: Shape, table: Table, decision: Decision, cells: frozenset[int]) -> Floats:
    """Chosen cells in one of the shapes; no cell is held by a drive, pinned ones stay.

    Parameters
    ----------
    how : a key of ``SHAPE_WORDS``.
    table : as it is in the ECU.
    decision : on it.
    cells : flat indices.

    Returns
    -------
    Wanted values in the table's shape.

    Raises
    ------
    BadInputError
        If it cannot be done with these cells.
    """
    chosen = decide.mask_of(decision, cells)
    evidence = no_evidence(table.shape)
    wanted = shaped(how, table, decision.values, chosen, evidence, None)
    return np.where(decision.pinned, decision.values, wanted)

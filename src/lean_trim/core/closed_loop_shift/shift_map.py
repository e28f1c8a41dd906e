"""The box's map: what it is set to in each load cell for the wanted λ, and the fuel fed forward there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.closed_loop_shift.feed_forward import first_feed_forward
from lean_trim.core.closed_loop_shift.response import Response, Setting
from lean_trim.core.messages import Said
from lean_trim.core.types import Floats


@dataclass(frozen=True, eq=False)
class ShiftMap:
    """What to put into the box.

    Attributes
    ----------
    value : V by cell, shape of the wanted table; NaN where it is refused or nothing is wanted.
    feed_forward_pct : to begin with; NaN as ``value``.
    error : standard deviation of λ about the wanted one.
    refused : why, by index of the cell.
    """

    value: Floats
    feed_forward_pct: Floats
    error: Floats
    refused: dict[tuple[int, ...], Said]


def shift_map(response: Response, wanted: Floats) -> ShiftMap:
    """Set every cell of a table of wanted λ.

    Parameters
    ----------
    response : measured at about 2000 rpm, warm.
    wanted : λ by cell, any shape; NaN where the loop is left alone.

    Returns
    -------
    The map.
    """
    known: dict[float, Setting] = {}
    value = np.full(wanted.shape, np.nan)
    trim = np.full(wanted.shape, np.nan)
    error = np.full(wanted.shape, np.nan)
    refused: dict[tuple[int, ...], Said] = {}
    for at in np.ndindex(wanted.shape):
        target = float(wanted[at])
        if not np.isfinite(target):
            continue
        setting = known.setdefault(target, response.setting_for(target))
        value[at], trim[at], error[at] = setting.value, setting.trim_pct, setting.error
        if setting.refused is not None:
            refused[at] = setting.refused
    return ShiftMap(value, first_feed_forward(trim), error, refused)

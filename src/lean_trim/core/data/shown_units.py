"""What a quantity may be shown in, beside the unit the computation uses."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trim.core.data.tables import OwnUnit


@dataclass(frozen=True)
class UnitChoice:
    """A quantity and its units.

    Attributes
    ----------
    ours : unit of the computation.
    name : of the quantity, for people.
    shown : what it may be shown in, ours first; shown = ours · scale + offset.
    """

    ours: str
    name: str
    shown: tuple[OwnUnit, ...]

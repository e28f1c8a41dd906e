"""What painting and keys need of the tape; so neither of them imports it."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QPixmap

from lean_trim.ui.session import Session
from lean_trim.ui.tape.tape_data import TapeData


class TapeView(Protocol):
    """The stretch that is shown, what is lit and chosen on it, and ways to move along."""

    session: Session
    data: TapeData | None
    start_s: float
    end_s: float
    lit: NDArray[np.int64] | None
    cursor_s: float | None
    spot_s: float | None
    anchor_s: float | None
    gutter: tuple[object, QPixmap] | None
    is_ribbon: bool

    def width(self) -> int:
        """Width, px."""

    def height(self) -> int:
        """Height, px."""

    def hasFocus(self) -> bool:
        """Whether keys go here."""

    def devicePixelRatioF(self) -> float:
        """Device pixels a pixel."""

    def x_of(self, time_s: float) -> float:
        """Where a moment lies, px."""

    def look_at(self, start_s: float, end_s: float) -> None:
        """Show a stretch."""

    def show_all(self) -> None:
        """Show the whole log."""

    def choose(self, start_s: float, end_s: float) -> None:
        """Choose a stretch."""

    def tell_spot(self) -> None:
        """Say what is at the spot."""

    def update(self) -> None:
        """Paint anew, soon."""

"""The tape folded to a ribbon, so that a desk has the room; every desk remembers its own height.

A ribbon holds the regimes and the first lane. It opens by its key, by a double click, by dragging its
edge up, and by itself where a stretch of the log is asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QSplitter, QWidget

from lean_trim.ui.tape.tape import RIBBON_H, Tape
from lean_trim.ui.window.preferences import Preferences

FOLD_BELOW_PX = 90
"""Dragged smaller than this a tape becomes a ribbon: its lanes could not be read any more."""
OPEN_PX = 186
"""Height a tape opens with where no other is remembered."""
FOLDED = "folded"


class TapeFold(QObject):
    """Folds and opens the lower part of the window.

    Parameters
    ----------
    splitter : of the desks above and the tape below.
    bar, tape : what lies below.
    preferences : remembers heights by desk.
    folded_first : desks on which it is a ribbon until it is opened there.
    parent : the window.
    """

    def __init__(
        self,
        splitter: QSplitter,
        bar: QWidget,
        tape: Tape,
        preferences: Preferences,
        folded_first: Collection[str],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self.splitter = splitter
        self.bar = bar
        self.tape = tape
        self.preferences = preferences
        self.folded_first = folded_first
        self.desk = ""
        self._height = OPEN_PX
        splitter.splitterMoved.connect(lambda *_: self._dragged())
        tape.unfold_wanted.connect(self.open)

    @property
    def is_folded(self) -> bool:
        """Whether the tape is a ribbon now."""
        return self.tape.is_ribbon

    def fold(self) -> None:
        """Leave the ribbon."""
        if not self.is_folded:
            self._height = max(self.splitter.sizes()[1], OPEN_PX // 2)
        self._show(ribbon=True)

    def open(self) -> None:
        """Show the lanes, as high as they were."""
        if self.is_folded:
            self._show(ribbon=False)

    def toggle(self) -> None:
        """Fold it, or open it."""
        (self.open if self.is_folded else self.fold)()

    def opening(self, look: Callable[[float, float], None]) -> Callable[[float, float], None]:
        """Looking at a stretch, with the tape open for it."""

        def opened(start_s: float, end_s: float) -> None:
            self.open()
            look(start_s, end_s)

        return opened

    def turn_to(self, desk: str) -> None:
        """Stand as the desk was left.

        Parameters
        ----------
        desk : name of the one that is shown now.
        """
        if self.desk:
            self.keep()
        self.desk = desk
        first = FOLDED if desk in self.folded_first else ""
        kept = self.preferences.text(f"tape on {desk}", first)
        if kept == FOLDED:
            self._show(ribbon=True)
        elif kept.isdigit():
            self._height = int(kept)
            self._show(ribbon=False)
        elif self.is_folded:
            self._show(ribbon=False)

    def keep(self) -> None:
        """Remember how the desk that is shown stands."""
        height = FOLDED if self.is_folded else str(self.splitter.sizes()[1])
        self.preferences.keep(f"tape on {self.desk}", height)

    def _show(self, ribbon: bool) -> None:
        self.bar.setVisible(not ribbon)
        self.tape.show_ribbon(ribbon)
        whole = sum(self.splitter.sizes())
        # Before the window is laid out there is nothing to share.
        if whole > 0:
            lower = RIBBON_H if ribbon else min(self._height, whole // 2)
            self.splitter.setSizes([whole - lower, lower])

    def _dragged(self) -> None:
        lower = self.splitter.sizes()[1]
        if self.is_folded and lower > RIBBON_H + 8:
            self._height = max(lower, FOLD_BELOW_PX + self.bar.sizeHint().height())
            self._show(ribbon=False)
        elif not self.is_folded and lower < FOLD_BELOW_PX + self.bar.height():
            self._height = OPEN_PX
            self._show(ribbon=True)

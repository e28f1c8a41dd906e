"""The one selection every view shares: cells of the table and a stretch of the log."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lean_trim.core.types import Mask


class Selection(QObject):
    """Cells and a time span; whichever was chosen by the user, the other follows from it.

    ``changing`` is sent while the user drags, ``changed`` when the choice is made.
    """

    changing = Signal()
    changed = Signal()
    moment_moved = Signal()
    """The tape stands at another moment; nothing is chosen by that."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.cells: frozenset[int] = frozenset()
        self.span: tuple[float, float] | None = None
        self.by_time = False
        self.evidence: Mask | None = None
        self.moment_s: float | None = None

    def stand_at(self, moment_s: float | None) -> None:
        """The moment the tape stands at, s on the joined log; None where it stands at none."""
        if moment_s != self.moment_s:
            self.moment_s = moment_s
            self.moment_moved.emit()

    def set_evidence(self, samples: Mask) -> None:
        """Choose the samples that show something, shape (n,) of the joined log; no cells and no span."""
        self.cells = frozenset()
        self.span = None
        self.by_time = False
        self.evidence = samples
        self.changed.emit()

    def set_cells(self, cells: frozenset[int], done: bool = True) -> None:
        """Choose cells; a chosen span is dropped."""
        self.cells = cells
        self.span = None
        self.by_time = False
        self.evidence = None
        (self.changed if done else self.changing).emit()

    def set_span(
        self, start_s: float, end_s: float, cells: frozenset[int], done: bool = True
    ) -> None:
        """Choose a stretch of the log together with the cells it fed."""
        self.cells = cells
        self.span = (min(start_s, end_s), max(start_s, end_s))
        self.by_time = True
        self.evidence = None
        (self.changed if done else self.changing).emit()

    def set_visit(self, start_s: float, end_s: float) -> None:
        """Choose one stretch spent in the chosen cells; the cells stay chosen."""
        self.span = (start_s, end_s)
        self.changed.emit()

    def clear(self) -> None:
        """Choose nothing."""
        self.cells = frozenset()
        self.span = None
        self.by_time = False
        self.evidence = None
        self.changed.emit()

"""One line: the note on the chosen cells, kept when it is left."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.workspace.notes import Notes


class CellNote(QLineEdit):
    """Hidden while no cell is chosen."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.notes = session.part(Notes)
        self._of: frozenset[int] = frozenset()
        self.setFont(font(9))
        self.setPlaceholderText("Note on the chosen cells")
        self.setAccessibleName("Note on the chosen cells")
        self.setToolTip(
            plain_tip("Kept with the round, found by Ctrl+K, in the report if ticked on Logs")
        )
        self.textEdited.connect(lambda text: self.notes.type_in_cells(self._of, text))
        self.editingFinished.connect(self.notes.flush)
        self.setVisible(False)

    def show_cells(self, cells: frozenset[int]) -> None:
        """Show what is noted of cells; what was being typed is kept with those it was typed for."""
        # What is typed is for the cells it was typed for.
        self.notes.flush()
        self._of = cells
        self.setVisible(bool(cells) and self.session.can_save)
        self.setText(self.notes.of_cells(cells))

"""Of an ECU with several airflow tables: which is under correction, which was in force, what comes first."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QWidget

from lean_trim.core.data.calibration import LAYER_NAMES
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.elided_line import ElidedLine
from lean_trim.ui.widgets.label import plain_tip

DONE = "✓"
MOST_TABLES = 1 + len(LAYER_NAMES)


class TableSwitch(QWidget):
    """A button each in the order of work; hidden where there is one table."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.group = QButtonGroup(self)
        self.buttons = tuple(QToolButton(self) for _ in range(MOST_TABLES))
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 6, 0)
        row.setSpacing(0)
        for place, button in enumerate(self.buttons):
            button.setObjectName("figure")
            button.setCheckable(True)
            self.group.addButton(button, place)
            row.addWidget(button)
        self.said = ElidedLine()
        row.addSpacing(10)
        row.addWidget(self.said, 1)
        self.group.idClicked.connect(self._turn)
        for signal in (session.round_changed, session.solved, session.decided, session.job_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _turn(self, place: int) -> None:
        tables = self.session.airflow_tables.tables
        if tables:
            self.session.airflow_tables.turn_to(tables[place].name)
        # Where the file refused, the button goes back to what is shown.
        self.refresh()

    def refresh(self) -> None:
        """Stand as the job does."""
        tables = self.session.airflow_tables.tables
        self.setVisible(bool(tables))
        current = self.session.round
        if not tables or current is None:
            return
        for place, button in enumerate(self.buttons, 1):
            button.setVisible(place <= len(tables))
        for place, (button, table) in enumerate(zip(self.buttons, tables, strict=False), 1):
            mark = f" {DONE}" if table.decided else ""
            button.setText(f"{place}  {table.words}{mark}")
            button.setChecked(table.name == current.subject)
            decided = "; cells of it are decided" if table.decided else ""
            button.setToolTip(plain_tip(f"Put the {table.words} under correction{decided}"))
        said = str(self.session.airflow_tables.said or "")
        self.said.setText(said)
        self.said.setToolTip(plain_tip(said))

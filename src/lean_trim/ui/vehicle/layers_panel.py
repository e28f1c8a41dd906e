"""Further VE tables of an ECU that blends several over the position of a cam or runner flap."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.calibration import LAYER_NAMES
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Layer, Layered
from lean_trim.formats.layers_sheet import POSITION_RANGE
from lean_trim.ui.theme import Appearance
from lean_trim.ui.vehicle.table_panel import TablePanel
from lean_trim.ui.widgets.label import Label

ABOUT = (
    "Only of an ECU that blends several VE tables over the position of a cam or a runner flap: paste each "
    "further one, and say at which position it is in force alone, as the log counts it."
)
ENTRY_W = 88
FIRST = "ve"


class LayersPanel(QWidget):
    """``layered`` is what was said; ``changed`` tells that it is another."""

    changed = Signal()

    def __init__(
        self,
        appearance: Appearance,
        choose_file: Callable[[], Path | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.layers: tuple[Layer, ...] = ()
        about = Label(ABOUT, self)
        about.setWordWrap(True)
        self.first_at = self._entry("Position at which the airflow table is in force alone", "0")
        self.channel = self._entry("Column of the log that holds the position", "Intake cam")
        self.channel.setFixedWidth(2 * ENTRY_W)
        self.at = self._entry("Position at which the table below is in force alone", "40")
        self.add = QPushButton("Add this table", self)
        self.add.clicked.connect(self._add)
        self.told = Label(self)
        self.told.setWordWrap(True)
        self.take_away_last = QPushButton("Take the last one away", self)
        self.take_away_last.clicked.connect(self._take_away_last)
        self.panel = TablePanel("ve", appearance, choose_file, self)
        self.panel.guess.hide()
        for entry in (self.first_at, self.channel):
            entry.editingFinished.connect(self.changed)
        self.at.textChanged.connect(lambda _: self._show())
        self.panel.changed.connect(lambda _: self._show())
        form = QFormLayout()
        form.addRow("Airflow table alone at", self.first_at)
        form.addRow("Column of the log", self.channel)
        row = QHBoxLayout()
        row.addWidget(Label("In force alone at", self))
        row.addWidget(self.at)
        row.addWidget(self.add)
        row.addWidget(self.take_away_last)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.addWidget(about)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addLayout(row)
        layout.addWidget(self.panel, 1)
        self._show()

    def _entry(self, name: str, hint: str) -> QLineEdit:
        entry = QLineEdit(self)
        entry.setAccessibleName(name)
        entry.setToolTip(name)
        entry.setPlaceholderText(hint)
        entry.setFixedWidth(ENTRY_W)
        return entry

    @property
    def layered(self) -> Layered | None:
        """What was said; None while there is no further table."""
        if not self.layers:
            return None
        return Layered(
            name=FIRST,
            at=_number(self.first_at.text()) or 0.0,
            others=self.layers,
            channel=self.channel.text().strip(),
        )

    def show_layered(self, layered: Layered | None) -> None:
        """Stand as a vehicle has it, seen by its first VE table."""
        self.layers = () if layered is None else layered.others
        self.first_at.setText("" if layered is None else f"{layered.at:g}")
        self.channel.setText("" if layered is None else layered.channel)
        self._show()

    def take_away(self) -> None:
        """Forget all of it."""
        self.panel.take_away()
        self.at.clear()
        self.show_layered(None)
        self.changed.emit()

    def paste_table(self) -> None:
        """The next one, from the clipboard."""
        self.panel.paste_table()

    def _problem(self, table: Table | None) -> str:
        """Why the table below cannot be added, "" if it can."""
        at = _number(self.at.text())
        if table is None:
            return "Paste the next table first."
        if len(self.layers) == len(LAYER_NAMES):
            return f"At most {1 + len(LAYER_NAMES)} VE tables are blended."
        if at is None:
            low, high = POSITION_RANGE
            return f"Say at which position it is in force alone, a number from {low:g} to {high:g}."
        if at in ((_number(self.first_at.text()) or 0.0), *(layer.at for layer in self.layers)):
            return f"There is a table at {at:g} already."
        return ""

    def _add(self) -> None:
        table = self.panel.table
        at = _number(self.at.text())
        if table is None or at is None or self._problem(table):
            return
        self.layers = (*self.layers, Layer(LAYER_NAMES[len(self.layers)], table, at))
        self.at.clear()
        self.panel.take_away()
        self._show()
        self.changed.emit()

    def _take_away_last(self) -> None:
        self.layers = self.layers[:-1]
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        problem = self._problem(self.panel.table)
        self.add.setEnabled(not problem)
        self.add.setToolTip(problem or "As one more VE table of this ECU")
        self.take_away_last.setVisible(bool(self.layers))
        several = [f"{' × '.join(map(str, x.table.shape))} cells at {x.at:g}" for x in self.layers]
        self.told.setText(
            "Further VE tables: " + ", ".join(several) if several else "No further VE table yet."
        )


def _number(text: str) -> float | None:
    """A position as it was typed; None for what is none."""
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError:
        return None
    low, high = POSITION_RANGE
    return value if low <= value <= high else None

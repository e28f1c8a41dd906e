"""The ECU's own tables of corrections, one at a time: chosen above, decided below."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from lean_trim.core.data.fuel_corrections import CORRECTIONS, KINDS
from lean_trim.features.transients.desk.cards import correction_card
from lean_trim.features.transients.fuel_corrections import FuelCorrections
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.table_card import TableCard
from lean_trim.ui.widgets.wheel_safe import ComboBox

ASKS = "needs a change"
HELD = "as it is"
UNKNOWN = "not pasted yet"
NOT_PASTED = (
    "Paste the table that is in the ECU, with More, and the drive says what to write into it. "
    "Without it the list by class says by how much to change what the ECU adds."
)


class CorrectionTables(QWidget):
    """Shows the card of one table; cards are made when they are first chosen."""

    turned = Signal()

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.tables = session.part(FuelCorrections)
        self.cards: dict[str, TableCard] = {}
        self.choice = ComboBox(self)
        self.choice.setAccessibleName("Which of the ECU's tables is shown")
        for name in CORRECTIONS:
            self.choice.addItem("", name)
        self.choice.currentIndexChanged.connect(lambda _: self.turned.emit())
        self.rests_on = running_text(9.0)
        label = Label("Table", self)
        label.setBuddy(self.choice)
        head = QHBoxLayout()
        head.addWidget(label)
        head.addWidget(self.choice, 1)
        self.stack = QStackedLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addWidget(self.rests_on)
        layout.addLayout(self.stack, 1)

    @property
    def name(self) -> str:
        """The table that is shown."""
        return str(self.choice.currentData(Qt.ItemDataRole.UserRole))

    def show_table(self, name: str) -> None:
        """Turn to a table."""
        self.choice.setCurrentIndex(CORRECTIONS.index(name))

    def asks(self, name: str) -> bool:
        """True if a table is known and the drive needs another one than is decided."""
        proposed = self.tables.proposed(name)
        decision = self.tables.decided(name)
        if proposed is None or decision is None:
            return False
        return not bool((proposed.values == decision.values).all())

    def refresh(self) -> None:
        """Stand as the shown round does."""
        for place, name in enumerate(CORRECTIONS):
            self.choice.setItemText(place, f"{KINDS[name].title} · {self._state(name)}")
        name = self.name
        if name not in self.cards:
            self.cards[name] = TableCard(
                correction_card(name, self.session), self.session, self.appearance
            )
            self.stack.addWidget(self.cards[name])
        self.stack.setCurrentWidget(self.cards[name])
        self.cards[name].refresh()
        told = self.tables.told(name)
        has_table = self.tables.base(name) is not None
        self.rests_on.setText(
            str(told.said) if told is not None else "" if has_table else NOT_PASTED
        )
        self.rests_on.setVisible(bool(self.rests_on.text()))

    def _state(self, name: str) -> str:
        if self.tables.base(name) is None:
            return UNKNOWN
        decision = self.tables.decided(name)
        if decision is not None and decision.changed:
            return "decided"
        return ASKS if self.asks(name) else HELD

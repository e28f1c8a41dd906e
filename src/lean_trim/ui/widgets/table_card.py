"""One table beside the airflow table: what is in the ECU, what is asked, what will be written."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtGui import QAction, QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.text import cells_in_words
from lean_trim.formats.tables import table_text
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.card_kind import CardKind
from lean_trim.ui.widgets.elided_line import ElidedLine
from lean_trim.ui.widgets.operation_entry import OperationEntry
from lean_trim.ui.widgets.page import heading, running_text
from lean_trim.ui.widgets.paste_sheet import PasteSheet
from lean_trim.ui.widgets.picture import add_picture_actions
from lean_trim.ui.widgets.side_grid import SideGrid
from lean_trim.ui.widgets.side_looks import SideActs, SideLooks

MOST_STRETCH = 100
ENTRY_W = 84
"""Room for an operation, px."""


class TableCard(QWidget):
    """Speaks of the shown round. Cells are chosen, typed over and nudged as those of the airflow table."""

    def __init__(
        self,
        kind: CardKind,
        session: Session,
        appearance: Appearance,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.kind = kind
        self.name = name = kind.name
        self.session = session
        self.appearance = appearance
        self.tables = kind.tables
        self.title = heading(kind.title)
        self.nothing = running_text(9.0)
        self.grid = SideGrid(appearance, kind.words[:1].upper() + kind.words[1:], self)
        self.grid.typed.connect(self._begin_typing)
        self.grid.nudged.connect(self._nudge)
        self.grid.menu_wanted.connect(self._open_menu)
        self.grid.choice_changed.connect(self._show_line)
        acts = SideActs(
            what=f"the {kind.words}",
            shape=lambda cells, how: self.tables.shape(name, cells, how),
            put=lambda cell, value: self.tables.type_in(name, cell, f"={value:.6f}"),
            trail=lambda: self.tables.trail(name),
            go_back=lambda place: self.tables.go_back_to(name, place),
        )
        self.looks = SideLooks(self.grid, acts, session, appearance, self)
        self.curve = self.looks.curve
        self.curve.typed.connect(self._begin_typing)
        self.curve.nudged.connect(self._nudge)
        self.curve.menu_wanted.connect(self._open_menu)
        self.as_curve = self.looks.as_curve
        self.as_curve.toggled.connect(lambda _: self._make_room())
        self.line = ElidedLine()
        self.entry = OperationEntry(self)
        self.entry.setPlaceholderText("+3%")
        self.entry.setAccessibleName(f"Change of the chosen cells of the {kind.words}")
        self.entry.setFixedWidth(ENTRY_W)
        self.entry.returnPressed.connect(self._type)
        self.sheet = PasteSheet(kind, session, appearance, self)
        self.accept = QPushButton("Accept", self)
        self.accept.setObjectName("primary")
        self.accept.clicked.connect(lambda: self.tables.accept(name))
        self.back = QPushButton("Put back", self)
        self.back.clicked.connect(lambda: self.tables.put_back(name))
        self.more = QToolButton(self)
        self.more.setText("More ▾")
        self.more.setObjectName("flat")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setMenu(self._menu())
        self._lay_out()
        self.sheet.turned.connect(self._make_room)

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        self.copy = QAction("Copy what is to be written", menu)
        self.copy.triggered.connect(self._copy)
        paste = QAction("Paste the one in the ECU…", menu)
        paste.triggered.connect(self.sheet.ask_clipboard)
        file = QAction("Open the one in the ECU…", menu)
        file.triggered.connect(self.sheet.ask_file)
        menu.addActions([self.copy, paste, file])
        if self.kind.fill is not None:
            fill = QAction(f"Put it on other {self.kind.axis}…", menu)
            fill.triggered.connect(self.sheet.ask_points)
            menu.addAction(fill)
        return menu

    def paste_table(self) -> None:
        """Ask about the table on the clipboard, in place."""
        self.sheet.ask_clipboard()

    def add_action(self, text: str, act: Callable[[], None]) -> None:
        """One more thing to choose under More."""
        action = QAction(text, self)
        action.triggered.connect(act)
        self.more.menu().addAction(action)

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        for button in (self.accept, self.back, self.more):
            buttons.addWidget(button)
        buttons.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.as_curve)
        # Beside what it changes; in one row with the buttons two cards would be wider than a small window.
        foot = QHBoxLayout()
        foot.addWidget(self.line, 1)
        foot.addWidget(self.entry)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.nothing)
        layout.addWidget(self.sheet)
        layout.addWidget(self.grid, MOST_STRETCH)
        layout.addWidget(self.curve, MOST_STRETCH)
        layout.addLayout(foot)
        layout.addLayout(buttons)
        # What the grid cannot take goes to the end, so that the titles of two cards stay in one
        # line.
        layout.addStretch(1)

    def _make_room(self) -> None:
        """A question takes the place of the table."""
        asks = not self.sheet.isHidden()
        there = not asks and self.tables.base(self.name) is not None
        for part in (self.line, self.entry):
            part.setVisible(there)
        self.looks.show_parts(there)
        for button in (self.accept, self.back, self.more):
            button.setVisible(not asks)

    def refresh(self) -> None:
        """Stand as the round does."""
        table = self.tables.base(self.name)
        decision = self.tables.decided(self.name)
        proposed = self.tables.proposed(self.name)
        can = self.session.is_last and self.session.can_save
        self.sheet.refresh()
        self._make_room()
        self.nothing.setVisible(table is None and bool(self.kind.empty))
        self.nothing.setText(self.kind.empty)
        self.copy.setEnabled(table is not None)
        same = (
            proposed is None or decision is None or bool((proposed.values == decision.values).all())
        )
        self.accept.setEnabled(can and not same)
        self.back.setEnabled(can and decision is not None and decision.changed > 0)
        if table is not None and decision is not None:
            self.title.setText(f"{self.kind.title}, {table.shown_unit}")
            self.entry.setEnabled(can)
            self.grid.show_table(table, decision, None if proposed is None else proposed.values)
            self.curve.refresh()
            self._show_line()

    def _show_line(self) -> None:
        """What stands behind the current cell."""
        chosen = self.grid.chosen
        cell = self.grid.current
        self.line.setText(self.grid.describe(cell) if len(chosen) < 2 else _many(len(chosen)))
        self.line.setToolTip(self.line.text())

    @property
    def cells(self) -> frozenset[int]:
        """The chosen cells; the current one where none is."""
        return self.looks.cells

    def _begin_typing(self, text: str) -> None:
        self.entry.setFocus()
        self.entry.setText(text)

    def _type(self) -> None:
        # What is refused is told, and stays to be put right.
        if self.tables.type_in(self.name, self.cells, self.entry.text()):
            self.entry.clear()
            self.looks.shown.setFocus()

    def _nudge(self, pct: float, goes_on: bool) -> None:
        self.tables.nudge(self.name, self.cells, pct, goes_on)

    def _open_menu(self, place: QPoint) -> None:
        menu = QMenu(self)
        can = self.accept.isEnabled()
        take = menu.addAction("Accept what is asked for these cells")
        take.setEnabled(can)
        take.triggered.connect(lambda: self.tables.accept(self.name, self.cells))
        back = menu.addAction("Put these cells back")
        back.setEnabled(self.back.isEnabled())
        back.triggered.connect(lambda: self.tables.put_back(self.name, self.cells))
        self.looks.add_to(menu, self.entry.isEnabled())
        menu.addSeparator()
        menu.addActions(self.more.menu().actions())
        menu.addSeparator()
        add_picture_actions(menu, self.looks.pictured)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(place)

    def _copy(self) -> None:
        table = self.tables.base(self.name)
        decision = self.tables.decided(self.name)
        if table is None or decision is None:
            return
        QGuiApplication.clipboard().setText(table_text(table.with_values(decision.values), "\t"))
        self.session.rounds.copied()


def _many(count: int) -> str:
    return f"{cells_in_words(count)} chosen"

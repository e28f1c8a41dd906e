"""One table beside the airflow table: what is in the ECU, what is asked, what will be written."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QColor, QGuiApplication
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.text import evenly_written
from lean_trim.core.types import Floats
from lean_trim.formats.tables import table_text
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.card_kind import CardKind
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import heading, running_text
from lean_trim.ui.widgets.paste_sheet import PasteSheet

ROW_H = 21
MOST_ROWS = 9
MOST_STRETCH = 100
LEAST_COLUMN_W = 36
HEADS = ("now", "asked", "write")
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class TableCard(QWidget):
    """Speaks of the shown round. Cells in the last column, or of a grid, can be typed into."""

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
        self.grid = QTableWidget(self)
        self.grid.setFont(font(9))
        self.grid.setAccessibleName(f"{kind.words}: in the ECU now, asked, to write")
        self.grid.verticalHeader().setVisible(False)
        self.grid.verticalHeader().setDefaultSectionSize(ROW_H)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.grid.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.grid.itemChanged.connect(self._typed)
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
        self._filling = False
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
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.title)
        layout.addWidget(self.nothing)
        layout.addWidget(self.sheet)
        layout.addWidget(self.grid, MOST_STRETCH)
        layout.addLayout(buttons)
        # What the grid cannot take goes to the end, so that the titles of two cards stay in one
        # line.
        layout.addStretch(1)

    def _make_room(self) -> None:
        """A question takes the place of the table."""
        asks = not self.sheet.isHidden()
        self.grid.setVisible(not asks and self.tables.base(self.name) is not None)
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
            self._fill(table, decision, proposed, can)

    def _fill(self, table: Table, decision: Decision, proposed: Table | None, can: bool) -> None:
        self._filling = True
        try:
            if len(table.axes) == 1:
                self._fill_curve(table, decision, proposed, can)
            else:
                self._fill_grid(table, decision, proposed, can)
        finally:
            self._filling = False
        rows = min(self.grid.rowCount(), MOST_ROWS)
        self.grid.setMinimumHeight(3 * ROW_H)
        self.grid.setMaximumHeight((rows + 1) * ROW_H + 12)

    def _fill_curve(
        self, table: Table, decision: Decision, proposed: Table | None, can: bool
    ) -> None:
        axis = table.axes[0]
        self._shape(len(axis), (axis.shown_unit, *HEADS))
        points = evenly_written(axis.shown.tolist())
        was = _texts(table, table.values)
        to_write = _texts(table, decision.values)
        asked = _texts(table, proposed.values) if proposed is not None else ("",) * len(was)
        for row, words in enumerate(zip(points, was, asked, to_write, strict=True)):
            for column, text in enumerate(words):
                item = self._item(row, column, text, editable=can and column == len(HEADS))
                if column == len(HEADS):
                    self._mark(item, table, decision, row)

    def _fill_grid(
        self, table: Table, decision: Decision, proposed: Table | None, can: bool
    ) -> None:
        rows, columns = table.axes
        corner = f"{rows.shown_unit} \\ {columns.shown_unit}"
        self._shape(len(rows), (corner, *evenly_written(columns.shown.tolist())))
        ends = evenly_written(rows.shown.tolist())
        was = _texts(table, table.values)
        to_write = _texts(table, decision.values)
        asked = _texts(table, proposed.values) if proposed is not None else None
        width = len(columns)
        for row, end in enumerate(ends):
            self._item(row, 0, end, editable=False)
            for column in range(width):
                cell = row * width + column
                item = self._item(row, column + 1, to_write[cell], editable=can)
                self._mark(item, table, decision, cell)
                tip = f"in the ECU {was[cell]}"
                item.setToolTip(plain_tip(tip if asked is None else f"{tip}, asked {asked[cell]}"))

    def _shape(self, rows: int, heads: tuple[str, ...]) -> None:
        self.grid.clear()
        self.grid.setRowCount(rows)
        self.grid.setColumnCount(len(heads))
        self.grid.setHorizontalHeaderLabels(list(heads))
        header = self.grid.horizontalHeader()
        header.setDefaultAlignment(RIGHT)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        header.setMinimumSectionSize(LEAST_COLUMN_W)

    def _item(self, row: int, column: int, text: str, editable: bool) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        item.setTextAlignment(RIGHT)
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        item.setFlags(flags | Qt.ItemFlag.ItemIsEditable if editable else flags)
        self.grid.setItem(row, column, item)
        return item

    def _mark(self, item: QTableWidgetItem, table: Table, decision: Decision, cell: int) -> None:
        """Bold and coloured where it is other than what is in the ECU."""
        was = float(table.values.ravel()[cell])
        value = float(decision.values.ravel()[cell])
        if was == value:
            return
        item.setFont(font(9, bold=True))
        item.setForeground(QColor(self.appearance.theme.accent))
        item.setToolTip(plain_tip(f"{100.0 * (value / was - 1.0):+.1f} %"))

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        table = self.tables.base(self.name)
        if table is None:
            return
        single = len(table.axes) == 1
        cell = item.row() if single else item.row() * len(table.axes[1]) + item.column() - 1
        # What is refused is told, and the cell shows again what stands; the editor is closed first.
        if not self.tables.type_in(self.name, cell, item.text()):
            self.refresh()

    def _copy(self) -> None:
        table = self.tables.base(self.name)
        decision = self.tables.decided(self.name)
        if table is None or decision is None:
            return
        QGuiApplication.clipboard().setText(table_text(table.with_values(decision.values), "\t"))
        self.session.rounds.copied()


def _texts(table: Table, values: Floats) -> tuple[str, ...]:
    """Numbers of a table as its ECU counts, with equal digits."""
    return evenly_written(np.asarray(table.own_of(values), float).ravel().tolist())

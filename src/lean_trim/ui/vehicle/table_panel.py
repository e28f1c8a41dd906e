"""A table on its way in: pasted, opened or guessed, with what has to be said of it asked beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.fuels import PETROL
from lean_trim.core.data.table_kinds import HOLD_KINDS, ROW_KINDS, Holds, Rows
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import LeanTrimError
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text, sheets_of
from lean_trim.formats.tables.form import GridForm
from lean_trim.formats.tables.table_units import CELL_UNITS, FLOWS, ROW_UNITS
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.vehicle.grid_preview import GridPreview
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import ComboBox
from lean_trim.workspace.vehicle.pasting import (
    TARGET_UNITS,
    Kind,
    Pasted,
    TableWords,
    kind_of,
    understand,
)

EMPTY: dict[Kind, str] = {
    "ve": "Copy the table where you have it, with its axes if you can, and paste it here "
    "(Ctrl+V).\n\n"
    "Rows and columns may be either way round, axes may fall, decimals may be commas.",
    "maf": "Copy the curve where you have it, in two columns or two rows, and paste it here "
    "(Ctrl+V).",
    "target": "Not needed where the log holds the target.\n\nElse paste it here (Ctrl+V), over "
    "engine speed "
    "and manifold pressure, in λ or AFR.",
}
CLIPBOARD = "the clipboard"
BOX_W = 262
UNIT_W = 104


class TablePanel(QWidget):
    """One table of the draft. ``changed`` carries what it is now, or None.

    Parameters
    ----------
    choose_file : asks for a file; None if the user thought better of it.
    """

    changed = Signal(object)
    other_kind = Signal(str)
    """A curve was pasted for a grid, or a grid for a curve."""

    def __init__(
        self,
        kind: Kind,
        appearance: Appearance,
        choose_file: Callable[[], Path | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.kind: Kind = kind
        self.appearance = appearance
        self.choose_file = choose_file
        self.stoich_afr = PETROL.stoich_afr
        self.words = TableWords()
        self.block: Block | None = None
        self.path: Path | None = None
        self.pasted: Pasted | None = None
        self.preview = GridPreview(appearance, EMPTY[kind], self)
        self._make_boxes()
        self._make_buttons()
        self._make_question()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(
            _row(self.rows_label, self.rows, self.row_unit, self.target_unit, self.flow_unit)
        )
        layout.addLayout(
            _row(self.holds_label, self.holds, self.cell_unit, self.dead_label, self.dead)
        )
        layout.addLayout(_row(self.paste, self.open, self.sheets, *self._extra()))
        layout.addWidget(self.question)
        layout.addWidget(self.notes)
        layout.addWidget(self.preview, 1)
        self.show_kind(kind)
        appearance.changed.connect(self._show)

    def _make_boxes(self) -> None:
        self.rows = self._box("What the rows are", [(r, k.words) for r, k in ROW_KINDS.items()])
        self.row_unit = self._box("Unit of the rows", [])
        self.holds = self._box("What the cells are", [(h, k.words) for h, k in HOLD_KINDS.items()])
        self.cell_unit = self._box("Unit of the cells", [])
        self.flow_unit = self._box(
            "Unit of the airflow", [("", "unit as labelled"), *((f, f) for f in FLOWS)]
        )
        self.target_unit = self._box(
            "Unit of the target", [("", "unit by its values"), *((u, u) for u in TARGET_UNITS)]
        )
        self.dead_label = Label("of which dead", self)
        self.dead = QLineEdit(self)
        self.dead.setFixedWidth(56)
        self.dead.setPlaceholderText("0 ms")
        self.dead.setAccessibleName("Dead time within every injection time, ms")
        self.dead.editingFinished.connect(self._dead_typed)
        self.rows_label, self.holds_label = Label("Rows", self), Label("Cells", self)
        for label in (self.rows_label, self.holds_label):
            label.setFixedWidth(38)
        for box in (self.rows, self.holds):
            box.setFixedWidth(BOX_W)
        for box in (self.row_unit, self.cell_unit):
            box.setFixedWidth(UNIT_W)

    def _make_buttons(self) -> None:
        self.paste = QPushButton("Paste", self)
        self.paste.setToolTip("What was copied elsewhere (Ctrl+V)")
        self.paste.clicked.connect(self.paste_table)
        self.open = QPushButton("Open a file…", self)
        self.open.setToolTip("CSV, text or a sheet of a workbook")
        self.open.clicked.connect(self._open)
        self.sheets = self._box("Sheet of the workbook", [])
        self.sheets.hide()
        self.guess = QPushButton("Make a guess", self)
        self.guess.setToolTip("A VE table from first principles: a beginning where none is at hand")
        self.flat = QPushButton("λ = 1 everywhere", self)
        self.flat.setToolTip("What a narrowband loop holds")
        self.clear = QPushButton("Take it away", self)
        self.clear.clicked.connect(self.take_away)
        self.notes = Label(self)
        self.notes.setFont(font(8.5))
        self.notes.setWordWrap(True)

    def _make_question(self) -> None:
        self.question = QWidget(self)
        self.asked = Label(self.question)
        self.asked.setWordWrap(True)
        self.columns_text = self._axis("Engine speeds, rpm", "800 1600 2400 …")
        self.rows_text = self._axis("Points of the rows", "20 40 60 …")
        self.use_axes = QPushButton("Use these axes", self.question)
        self.use_axes.clicked.connect(self._axes_given)
        self.are_axes = QPushButton("First row and column are axes", self.question)
        self.are_axes.clicked.connect(lambda: self._say(replace(self.words, first_are_axes=True)))
        layout = QVBoxLayout(self.question)
        layout.setContentsMargins(8, 5, 8, 5)
        layout.addWidget(self.asked)
        self.axes_holder = QWidget(self.question)
        layout.addWidget(self.axes_holder)
        inner = QVBoxLayout(self.axes_holder)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addLayout(_row(self.columns_text, self.rows_text, stretch=False))
        inner.addLayout(_row(self.use_axes, self.are_axes))

    def _axis(self, name: str, hint: str) -> QLineEdit:
        edit = QLineEdit(self.question)
        edit.setPlaceholderText(f"{name}: {hint}")
        edit.setAccessibleName(name)
        return edit

    def _box(self, name: str, items: Sequence[tuple[str, str]]) -> ComboBox:
        box = ComboBox(self)
        box.setAccessibleName(name)
        box.setToolTip(plain_tip(name))
        for key, words in items:
            box.addItem(words, str(key))
        box.activated.connect(lambda _: self._box_chosen(box))
        return box

    def _extra(self) -> list[QWidget]:
        return [self.guess, self.flat, self.clear]

    def show_kind(self, kind: Kind) -> None:
        """Be a grid of airflow, a curve, or target lambda."""
        if kind != self.kind:
            self.block = None
            self.pasted = None
        self.kind = kind
        self.preview.empty = EMPTY[kind]
        grid, curve, target = (kind == k for k in ("ve", "maf", "target"))
        read_by: tuple[QWidget, ...] = (self.rows_label, self.rows, self.row_unit)
        for widget in read_by:
            widget.setVisible(grid or target)
        of_air: tuple[QWidget, ...] = (self.holds_label, self.holds, self.cell_unit, self.guess)
        for widget in of_air:
            widget.setVisible(grid)
        self.flow_unit.setVisible(curve)
        self.target_unit.setVisible(target)
        self.flat.setVisible(target)
        self._show()

    def paste_table(self) -> None:
        """Take what was copied."""
        self.take_text(QGuiApplication.clipboard().text(), CLIPBOARD)

    def take_text(self, text: str, source: str) -> None:
        """Take a text of cells."""
        self.path = None
        self._take(lambda: block_of_text(text, source))

    def _open(self) -> None:
        path = self.choose_file()
        if path is not None:
            self.take_file(path)

    def take_file(self, path: Path, sheet: str = "") -> None:
        """Take a file; of a workbook with several sheets, the first is shown and the others offered."""
        self.path = path
        try:
            names = sheets_of(path)
        except LeanTrimError as error:
            names = ()
            self._refuse(str(error))
            return
        self.sheets.clear()
        for name in names:
            self.sheets.addItem(name, name)
        if sheet:
            self.sheets.setCurrentText(sheet)
        self._take(lambda: block_of_file(path, sheet or (names[0] if names else "")))

    def _take(self, read: Callable[[], Block]) -> None:
        try:
            self.block = read()
        except LeanTrimError as error:
            self.block = None
            self._refuse(str(error))
            return
        kind = kind_of(self.block, self.kind)
        if kind != self.kind:
            block = self.block
            self.other_kind.emit(kind)
            self.block = block
        # Words about another table's axes are none about this one's.
        said = replace(self.words, first_are_axes=False, rows_text="", columns_text="")
        self.columns_text.clear()
        self.rows_text.clear()
        self._say(said)

    def _refuse(self, why: str) -> None:
        self._became(Pasted(None, self.words.form, problem=why))

    def _say(self, words: TableWords) -> None:
        """Understand the table again with what is said now."""
        self.words = words
        if self.block is None:
            self._show()
            self.changed.emit(self)
            return
        self._became(understand(self.block, self.kind, words, self.stoich_afr))

    def _became(self, pasted: Pasted) -> None:
        self.pasted = pasted
        self._show()
        self.changed.emit(self)

    def show_table(self, table: Table, note: str = "") -> None:
        """Show a table that was not pasted."""
        self.block = None
        self._became(Pasted(table, self.words.form, (note,) if note else ()))

    def take_away(self) -> None:
        """Have no table."""
        self.block = None
        self.pasted = None
        self._show()
        self.changed.emit(self)

    @property
    def table(self) -> Table | None:
        """What it is, as far as it is one."""
        return self.pasted.table if self.pasted is not None else None

    @property
    def form(self) -> GridForm:
        """What its numbers are taken for."""
        return self.pasted.form if self.pasted is not None else self.words.form

    def scale_by(self, stoich_afr: float) -> None:
        """Another fuel: a target in AFR means another λ."""
        if stoich_afr != self.stoich_afr:
            self.stoich_afr = stoich_afr
            if self.block is not None and self.kind == "target":
                self._say(self.words)

    def _box_chosen(self, box: ComboBox) -> None:
        key = box.currentData()
        form = self.form
        words = self.words
        if box is self.sheets:
            if self.path is not None:
                self.take_file(self.path, key)
            return
        if box is self.rows:
            words = replace(words, form=replace(form, rows=Rows(key), row_unit=""), row_said=False)
        elif box is self.row_unit:
            words = replace(words, form=replace(form, row_unit=key), row_said=True)
        elif box is self.holds:
            words = replace(
                words, form=replace(form, holds=Holds(key), cell_unit="", dead_time_ms=0.0)
            )
        elif box is self.cell_unit:
            words = replace(words, form=replace(form, cell_unit=key))
        elif box is self.flow_unit:
            words = replace(words, flow_unit=key)
        else:
            words = replace(words, target_unit=key)
        self._say(words)

    def _dead_typed(self) -> None:
        text = self.dead.text().replace(",", ".").removesuffix("ms").strip() or "0"
        try:
            ms = float(text)
        except ValueError:
            ms = -1.0
        if not 0.0 <= ms <= 10.0:
            self._refuse(f"“{self.dead.text()}” is no dead time; allowed are 0 to 10 ms")
        elif ms != self.words.form.dead_time_ms:
            self._say(replace(self.words, form=replace(self.form, dead_time_ms=ms)))

    def _axes_given(self) -> None:
        self._say(
            replace(
                self.words, rows_text=self.rows_text.text(), columns_text=self.columns_text.text()
            )
        )

    def _show(self) -> None:
        form = self.form
        self.rows.setCurrentIndex(max(self.rows.findData(str(form.rows)), 0))
        self._fill(self.row_unit, list(ROW_UNITS[form.rows]), form.row_unit)
        self.holds.setCurrentIndex(max(self.holds.findData(str(form.holds)), 0))
        self._fill(self.cell_unit, list(CELL_UNITS[form.holds]), form.cell_unit)
        times = self.kind == "ve" and form.holds is Holds.FUEL_TIME
        self.dead_label.setVisible(times)
        self.dead.setVisible(times)
        self.sheets.setVisible(self.path is not None and self.sheets.count() > 1)
        self.clear.setVisible(self.table is not None or self.block is not None)
        pasted = self.pasted
        problem = pasted.problem if pasted is not None else ""
        warnings = pasted.warnings if pasted is not None else ()
        problem = problem or "\n".join(warnings)
        self.question.setVisible(bool(problem))
        self.axes_holder.setVisible(pasted is not None and pasted.ask == "axes")
        self.asked.setText(problem)
        theme = self.appearance.theme
        self.question.setStyleSheet(
            f"QWidget {{ background: {theme.caution_paper}; }}"
            f"QLineEdit {{ background: {theme.sheet}; }} QPushButton {{ background: "
            f"{theme.sheet}; }}"
        )
        self.notes.setText("; ".join(pasted.notes) if pasted is not None else "")
        self.notes.setVisible(bool(self.notes.text()))
        self.preview.show_table(self.table, pasted.cells if pasted is not None else None)

    def _fill(self, box: ComboBox, units: list[str], chosen: str) -> None:
        if [box.itemText(i) for i in range(box.count())] != units:
            box.clear()
            for unit in units:
                box.addItem(unit, unit)
        box.setCurrentText(chosen or units[0])


def _row(*widgets: QWidget, stretch: bool = True) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(6)
    for widget in widgets:
        row.addWidget(widget)
    if stretch:
        row.addStretch(1)
    return row

"""What the ECU learned by itself, beside the logs: pasted or opened, judged, taken into the table."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.learned.advice import advise, remarks
from lean_trim.core.learned.reading import BIAS_RANGE, STATE_WORDS, CellState, LearnedReading
from lean_trim.core.text import cells_in_words
from lean_trim.features.logs.pages.learned_view import LearnedView
from lean_trim.formats.tables.learned_map import TRIM_UNITS
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.label import Label, escaped, plain_tip
from lean_trim.ui.widgets.page import running_markup, running_text
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox

FILTER = "Tables (*.csv *.txt *.tsv *.xlsx *.ods *.json);;All files (*)"
ABOUT = (
    "Long-term trims over engine speed and load, read out of an ECU that learns by itself. Copy the grid "
    "with its axes and paste it here; cells at 0 count as not visited."
)
TOLD_BY_CELLS = "as they look"


class LearnedPanel(QWidget):
    """Speaks of the shown round."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.unit = ""
        self.about = running_text(8.5, ABOUT)
        self.told = running_text(9.0)
        self.view = LearnedView(appearance, self)
        self.view.chosen.connect(self._choose)
        self.paste = self._button("Paste it", "Take the grid on the clipboard", self.paste_table)
        self.open = self._button(
            "Open…", "Take the grid of a text, workbook or JSON file", self.open_map
        )
        self.away = self._button(
            "Put away", "Take the learned map out of this round", session.learned.put_away
        )
        self.offer = self._button(
            "Show it on the table",
            "What it would change, dashed on the tiles, before anything is decided",
            session.learned.offer,
        )
        self.offer.setObjectName("primary")
        self.unit_choice = ChoiceButton(
            lambda: [Entry(TOLD_BY_CELLS, ""), *(Entry(u, u) for u in TRIM_UNITS)], parent=self
        )
        self.unit_choice.setAccessibleName("What the cells of the grid are written in")
        self.unit_choice.chosen.connect(self._take_unit)
        self.bias = DoubleSpinBox(self)
        self.bias.setRange(*BIAS_RANGE)
        self.bias.setDecimals(1)
        self.bias.setSingleStep(0.5)
        self.bias.setSuffix(" %")
        self.bias.setKeyboardTracking(False)
        self.bias.setAccessibleName("Rich bias of the learned map")
        self.bias.setToolTip(
            plain_tip(
                "How much richer than its target the ECU was made to learn, on purpose; 0 if nobody set "
                "one. It is taken out of every cell. Only you can know it"
            )
        )
        self.bias.valueChanged.connect(self.session.learned.say_bias)
        self.words = running_markup(8.5)
        self.advice = running_markup(8.5)
        self._lay_out()
        for signal in (session.round_changed, session.job_changed, session.solved):
            signal.connect(self.refresh)
        appearance.changed.connect(self.refresh)
        self.refresh()

    def _button(self, text: str, tip: str, run: object) -> QPushButton:
        button = QPushButton(text, self)
        button.setToolTip(plain_tip(tip))
        button.clicked.connect(lambda: run())  # type: ignore[operator]
        return button

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        taking = QHBoxLayout()
        for button in (self.paste, self.open, self.away):
            taking.addWidget(button)
        taking.addStretch(1)
        units = QHBoxLayout()
        units.addWidget(Label("Cells are", self))
        units.addWidget(self.unit_choice)
        units.addStretch(1)
        biased = QHBoxLayout()
        self.bias_label = Label("Rich bias on purpose", self)
        biased.addWidget(self.bias_label)
        biased.addWidget(self.bias)
        biased.addStretch(1)
        layout.addWidget(self.about)
        layout.addLayout(taking)
        layout.addLayout(units)
        layout.addWidget(self.told)
        layout.addWidget(self.view)
        layout.addLayout(biased)
        layout.addWidget(self.words)
        layout.addWidget(self.offer)
        layout.addWidget(self.advice)

    # ---- taking one in -------------------------------------------------------------------------

    def paste_table(self) -> None:
        """Take the grid on the clipboard."""
        self.session.learned.read_text(QGuiApplication.clipboard().text(), self.unit)

    def open_map(self) -> None:
        """Take the grid of a file, which is asked for."""
        chosen, _ = QFileDialog.getOpenFileName(self, "The learned map", "", FILTER)
        if chosen:
            self.session.learned.read_file(Path(chosen), self.unit)

    def _take_unit(self, unit: object) -> None:
        self.unit = str(unit)
        self.refresh()

    def _choose(self, cell: int) -> None:
        """Choose the cells of the table that lie nearest to a cell of the map."""
        reading = self.session.learned.reading
        current = self.session.round
        if reading is None or current is None:
            return
        rows, columns = np.meshgrid(*(a.points for a in current.table.axes), indexing="ij")
        nearest = reading.table.nearest(rows.ravel(), columns.ravel())
        self.session.selection.set_cells(frozenset(np.flatnonzero(nearest == cell).tolist()))

    # ---- showing it ----------------------------------------------------------------------------

    @property
    def _of_map(self) -> tuple[QWidget, ...]:
        """What is shown where there is a map."""
        picture = (self.told, self.view, self.words, self.advice)
        return (*picture, self.away, self.bias_label, self.bias, self.offer)

    @property
    def is_there(self) -> bool:
        """Whether the shown round has a learned map."""
        return self.session.learned.map is not None

    def refresh(self) -> None:
        """Stand as the shown round does."""
        learned = self.session.learned
        reading = learned.reading
        current = self.session.round
        open_to_change = current is not None and self.session.is_last
        self.unit_choice.show_choice(self.unit or TOLD_BY_CELLS, self.unit)
        for button in (self.paste, self.open):
            button.setEnabled(open_to_change)
        there = reading is not None
        for widget in self._of_map:
            widget.setVisible(there)
        self.away.setEnabled(open_to_change)
        self.bias.setEnabled(open_to_change)
        self.about.setVisible(not there)
        self.view.show_reading(reading)
        if reading is None or learned.map is None:
            return
        with QSignalBlocker(self.bias):
            self.bias.setValue(learned.map.bias_pct)
        self.told.setText(f"From {learned.map.source}: {counts(reading)}.")
        found = learned.correction
        self.offer.setEnabled(open_to_change and found is not None)
        differs = found.differs_pct if found is not None else float("nan")
        faint = self.appearance.theme.faint
        said = (escaped(str(s)) for s in remarks(reading, differs))
        self.words.setText("".join(f"<p style='margin:0 0 4px 0'>{text}</p>" for text in said))
        self.advice.setText(advice_text(reading, faint))


def counts(reading: LearnedReading) -> str:
    """How many cells of a map are of which kind, in words."""
    order = (CellState.LEARNED, CellState.SPREAD, CellState.FLARE, CellState.UNVISITED)
    there = [(reading.count(state), STATE_WORDS[state]) for state in order]
    first, *others = [(n, word) for n, word in there if n]
    return ", ".join(
        [f"{cells_in_words(first[0])} {first[1]}", *(f"{n} {word}" for n, word in others)]
    )


def advice_text(reading: LearnedReading, faint: str) -> str:
    """Learning speed by region and what to lock, as rich text."""
    lines = ["<p style='margin:4px 0 4px 0'><b>In the ECU, for the next time</b></p>"]
    for one in advise(reading):
        name = f"{one.region}".capitalize()
        lines.append(
            f"<p style='margin:0 0 4px 0'><b>{escaped(name)}</b> "
            f"<span style='color:{faint}'>{one.learned} learned.</span> {escaped(str(one.said))}</p>"
        )
    return "".join(lines)

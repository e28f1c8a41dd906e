"""Above the tape: lane sets, which series are shown, jumping to events, bookmarks."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QToolButton, QWidget

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.explore.derived import DERIVED, all_series
from lean_trim.core.explore.events import EventKind
from lean_trim.ui.session import Session
from lean_trim.ui.tape.lanes import SETS
from lean_trim.ui.tape.player import RATES, Player
from lean_trim.ui.tape.tape import Tape
from lean_trim.ui.tape.tape_legend import TapeLegend
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.operation_entry import OperationEntry
from lean_trim.ui.widgets.wheel_safe import ComboBox

ANY = "any event"


class TapeBar(QWidget):
    """A slim row of controls for the tape."""

    def __init__(self, session: Session, tape: Tape, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.tape = tape
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(0)
        self.sets = QButtonGroup(self)
        for i, name in enumerate(SETS):
            button = self._button(name, f"Lanes for {name.lower()}")
            button.setCheckable(True)
            button.setChecked(name == self.tape.lane_sets.name)
            self.sets.addButton(button, i)
            row.addWidget(button)
        self.sets.idClicked.connect(lambda i: self.tape.lane_sets.use(list(SETS)[i]))
        self.lanes = self._button("Lanes…", "Choose what this set shows")
        self.lanes.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self)
        self.menu.aboutToShow.connect(self.fill_menu)
        self.lanes.setMenu(self.menu)
        row.addSpacing(8)
        row.addWidget(self.lanes)
        self.legend = TapeLegend(tape.appearance, self)
        row.addWidget(self.legend, 1)
        self._add_player(row)
        label = Label("Go to ", self)
        label.setFont(font(8.5))
        row.addWidget(label)
        self._add_events(row)
        self._add_note(row)
        self.tape.lane_sets.lanes_changed.connect(self._show_set)
        for signal in (session.round_changed, session.solved):
            signal.connect(self.refresh)
        self.refresh()

    def _add_player(self, row: QHBoxLayout) -> None:
        self.player = Player(self.tape, self)
        self.play = self._button("▶", "Play the log: the engine's place runs over the table")
        self.play.setAccessibleName("Play the log, or stop")
        self.play.clicked.connect(self.player.toggle)
        self.pace = self._button("×10", "How fast the log is played")
        self.pace.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        paces = QMenu(self)
        for rate in RATES:
            paces.addAction(f"×{rate}").triggered.connect(
                lambda _=False, r=rate: self.player.use(r)
            )
        self.pace.setMenu(paces)
        self.player.changed.connect(self._show_player)
        row.addWidget(self.play)
        row.addWidget(self.pace)
        row.addSpacing(10)

    def _add_events(self, row: QHBoxLayout) -> None:
        self.back = self._button("◂", "Previous event (Shift+F6)")
        self.forth = self._button("▸", "Next event (F6)")
        self.kind = ComboBox(self)
        self.kind.addItems([ANY, *EventKind])
        self.kind.setAccessibleName("Kind of event to go to")
        self.kind.setToolTip("Which events the two arrows walk through")
        self.kind.setFont(font(8.5))
        self.back.clicked.connect(lambda: self.go(False))
        self.forth.clicked.connect(lambda: self.go(True))
        for widget in (self.back, self.kind, self.forth):
            row.addWidget(widget)
        row.addSpacing(10)

    def _add_note(self, row: QHBoxLayout) -> None:
        self.note = OperationEntry(self)
        self.note.setPlaceholderText("note for a bookmark, Enter")
        self.note.setAccessibleName("Bookmark note")
        self.note.setToolTip("Enter sets a bookmark with this note at the tape's spot (Ctrl+B)")
        self.note.setMinimumWidth(110)
        self.note.setMaximumWidth(190)
        self.note.setFont(font(8.5))
        self.note.returnPressed.connect(self.mark)
        row.addWidget(self.note)

    def _button(self, text: str, tip: str) -> QToolButton:
        button = QToolButton(self)
        button.setText(text)
        button.setToolTip(plain_tip(tip))
        button.setFont(font(8.5))
        return button

    def _show_player(self) -> None:
        self.play.setText("■" if self.player.plays else "▶")
        self.pace.setText(f"×{self.player.rate}")

    def _show_set(self) -> None:
        self.sets.button(list(SETS).index(self.tape.lane_sets.name)).setChecked(True)

    def refresh(self) -> None:
        """Only a round with a log has something to show."""
        has_log = self.session.round is not None and bool(self.session.round.logs)
        for widget in (
            *(self.lanes, self.play, self.pace),
            *(self.back, self.forth, self.kind, self.note),
        ):
            widget.setEnabled(has_log)

    def fill_menu(self) -> None:
        """A tick for every series the log has."""
        self.menu.clear()
        data = self.tape.data
        vehicle = self.session.vehicle
        state = self.tape.lane_sets
        if data is None or vehicle is None:
            return
        shown = {key for lane in state.lanes for key in lane.keys}
        for key in all_series(data.log, vehicle, self.session.solution):
            name, unit = DERIVED[key] if key in DERIVED else LABELS[Role(key)]
            action = self.menu.addAction(f"{name}, {unit}" if unit else name)
            action.setCheckable(True)
            action.setChecked(key in shown)
            action.triggered.connect(lambda _=False, k=key: state.toggle(k))
        self.menu.addSeparator()
        self.menu.addAction("As they come").triggered.connect(state.as_they_come)

    def go(self, forward: bool) -> None:
        """Jump to the next or previous event of the chosen kind."""
        kind = self.kind.currentText()
        self.tape.jump(forward, None if kind == ANY else frozenset({EventKind(kind)}))

    def mark(self) -> None:
        """Set a bookmark with the note at the tape's spot, at the chosen stretch, or in the middle."""
        span = self.session.selection.span
        middle = (self.tape.start_s + self.tape.end_s) / 2
        at = self.tape.spot_s if self.tape.spot_s is not None else span[0] if span else middle
        self.session.marks.mark(at, self.note.text().strip())
        self.note.clear()

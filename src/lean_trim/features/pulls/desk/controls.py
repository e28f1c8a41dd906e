"""Above the overlay: two engine speeds, what it is drawn over, from which trigger, which lanes."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QToolButton, QWidget

from lean_trim.core.pulls.traces import WORDS, Lane
from lean_trim.features.pulls.desk.overlay_data import TRIGGER_UNITS, TRIGGERS, Across, Trigger
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import ComboBox, DoubleSpinBox

USUAL_LANES = (Lane.LAMBDA, Lane.ASKED, Lane.BOOST, Lane.DUTY, Lane.PRESSURE, Lane.SPARK)
USUAL_FROM_TO = (3000.0, 6000.0)
USUAL_LEVELS: dict[Trigger, float] = {"throttle": 0.0, "rpm": 3000.0, "boost": 30.0}
STEP_RPM = 250.0


class Controls(QWidget):
    """``changed`` when another overlay is asked for, ``speeds_changed`` when other times are."""

    changed = Signal()
    speeds_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.low = self._rpm("From engine speed A", USUAL_FROM_TO[0])
        self.high = self._rpm("To engine speed B", USUAL_FROM_TO[1])
        self.over = QButtonGroup(self)
        self.buttons = {"rpm": self._button("Over rpm"), "time": self._button("Over time")}
        for button in self.buttons.values():
            self.over.addButton(button)
            button.clicked.connect(lambda _: self._turned())
        self.buttons["rpm"].setChecked(True)
        self.apart = self._button("Difference")
        self.apart.setToolTip(
            "The chosen run less the second selected one, at the same engine speeds"
        )
        self.apart.clicked.connect(lambda _: self._turned())
        self.trigger = ComboBox(self)
        for name, words in TRIGGERS.items():
            self.trigger.addItem(words, name)
        self.trigger.setAccessibleName("What sets the clock to zero")
        self.trigger.activated.connect(lambda _: self._turned(level=True))
        self.level = DoubleSpinBox(self)
        self.level.setRange(0.0, 15000.0)
        self.level.setDecimals(0)
        self.level.setAccessibleName("Level of the trigger")
        self.level.editingFinished.connect(self.changed)
        self.lanes = QToolButton(self)
        self.lanes.setText("Lanes ▾")
        self.lanes.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.lanes.setMenu(self._lane_menu())
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        between = (Label("A", self), self.low, Label("B", self), self.high)
        for widget in (
            *between,
            *self.buttons.values(),
            self.apart,
            self.trigger,
            self.level,
            self.lanes,
        ):
            row.addWidget(widget)
        row.addStretch(1)
        self._turned(level=True)

    def _rpm(self, name: str, value: float) -> DoubleSpinBox:
        box = DoubleSpinBox(self)
        box.setRange(500.0, 20000.0)
        box.setDecimals(0)
        box.setSingleStep(STEP_RPM)
        box.setSuffix(" rpm")
        box.setValue(value)
        box.setAccessibleName(name)
        box.setToolTip(plain_tip(f"{name}: the list tells the seconds from A to B"))
        box.editingFinished.connect(self.speeds_changed)
        return box

    def _button(self, text: str) -> QToolButton:
        button = QToolButton(self)
        button.setText(text)
        button.setCheckable(True)
        return button

    def _lane_menu(self) -> QMenu:
        menu = QMenu(self)
        self.lane_actions: dict[Lane, QAction] = {}
        for lane in Lane:
            action = QAction(str(lane), menu)
            action.setCheckable(True)
            action.setChecked(lane in USUAL_LANES)
            action.setToolTip(plain_tip(WORDS[lane]))
            action.toggled.connect(lambda _: self.changed.emit())
            menu.addAction(action)
            self.lane_actions[lane] = action
        menu.setToolTipsVisible(True)
        return menu

    def _turned(self, level: bool = False) -> None:
        kind = self.trigger_kind
        if level:
            with QSignalBlocker(self.level):
                self.level.setValue(USUAL_LEVELS[kind])
                self.level.setSuffix(TRIGGER_UNITS[kind])
        timed = self.across == "time"
        self.trigger.setVisible(timed)
        self.level.setVisible(timed and kind != "throttle")
        self.changed.emit()

    @property
    def across(self) -> Across:
        """What the overlay is drawn over."""
        return "time" if self.buttons["time"].isChecked() else "rpm"

    @property
    def trigger_kind(self) -> Trigger:
        """What sets the clock to zero."""
        name = str(self.trigger.currentData())
        return next(t for t in TRIGGERS if t == name)

    @property
    def shown_lanes(self) -> tuple[Lane, ...]:
        """Lanes that are asked for."""
        return tuple(lane for lane, action in self.lane_actions.items() if action.isChecked())

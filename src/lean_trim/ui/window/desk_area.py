"""The middle of the window: a thin row with the desks' names, and the desk that is shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.specs import Desk, DeskSpec
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.marked_tab import MarkedTab
from lean_trim.ui.widgets.shown_stack import ShownStack

TAB_PX = 10
"""Room on either side of a desk's name."""


class DeskArea(QWidget):
    """``turned`` tells which desk is shown now, ``hovered`` what the pointer is over."""

    turned = Signal(object)
    hovered = Signal(str)

    def __init__(
        self,
        specs: Sequence[DeskSpec],
        session: Session,
        appearance: Appearance,
        actions: Mapping[str, QAction],
    ) -> None:
        super().__init__()
        self.specs = tuple(specs)
        self.session = session
        self.appearance = appearance
        self.actions_ = actions
        self.shown = self.specs[0]
        self._desks: dict[str, Desk] = {}
        self._over: QWidget | None = None
        self.stack = ShownStack()
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(8, 2, 8, 0)
        row.setSpacing(2)
        for place, spec in enumerate(self.specs):
            row.addWidget(self._button(place, spec))
        row.addStretch(1)
        self.buttons.idClicked.connect(lambda i: self.show_desk(self.specs[i].name))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.stack, 1)
        for signal in (session.round_changed, session.solved, session.decided):
            signal.connect(self.refresh_marks)

    def _button(self, place: int, spec: DeskSpec) -> MarkedTab:
        title = self.tr(spec.title)
        button = MarkedTab(title, "  ·  ", spec.widest_mark, font(9.5, bold=True), TAB_PX, self)
        button.setToolTip(plain_tip(self.tr(spec.tip)))
        self.buttons.addButton(button, place)
        return button

    def desk(self, name: str) -> Desk:
        """A desk by its name, made if it is not there yet."""
        if name not in self._desks:
            spec = next(s for s in self.specs if s.name == name)
            made = spec.make(self.session, self.appearance, self.actions_)
            made.hovered.connect(self.hovered)
            self.stack.addWidget(made.widget)
            self._desks[name] = made
        return self._desks[name]

    def show_desk(self, name: str) -> None:
        """Turn to a desk."""
        made = self.desk(name)
        self.shown = next(s for s in self.specs if s.name == name)
        self.buttons.button(self.specs.index(self.shown)).setChecked(True)
        # A question stands in place of the desk; it is not to be lost by a click beside it.
        if self._over is None:
            self.stack.setCurrentWidget(made.widget)
        self.turned.emit(self.shown)

    def show_over(self, widget: QWidget | None) -> None:
        """Show something in place of the desk until it is answered; None shows the desk again."""
        self._over = widget
        if widget is None:
            self.stack.setCurrentWidget(self.desk(self.shown.name).widget)
            return
        if self.stack.indexOf(widget) < 0:
            self.stack.addWidget(widget)
        self.stack.setCurrentWidget(widget)

    def refresh_marks(self) -> None:
        """Say beside each desk's name what it has to say."""
        for place, spec in enumerate(self.specs):
            mark = self._desks[spec.name].mark() if spec.name in self._desks else ""
            button = self.buttons.button(place)
            assert isinstance(button, MarkedTab)
            button.show_mark(mark)
            tip = self.tr(spec.tip)
            button.setToolTip(plain_tip(f"{tip}: {mark}" if mark else tip))

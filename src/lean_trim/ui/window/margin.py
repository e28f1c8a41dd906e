"""The margin: pages about the choice, those of the desk that is shown, one at a time."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.specs import PageSpec
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.marked_tab import MarkedTab
from lean_trim.ui.widgets.shown_stack import ShownStack

WIDTH = 270
SHUT_WIDTH = 24
"""Width while it is shut: room for what opens it, px."""
TAB_PX = 5
"""Room on either side of a page's name."""


class Margin(QWidget):
    """Each page is made when it is first turned to. ``look`` asks for a stretch of the tape.

    ``replace_wanted`` asks for a file in the place of a log: round id, log id.
    """

    opened = Signal(bool)
    """Whether its pages are shown now."""
    look = Signal(float, float)
    turned = Signal(str)
    replace_wanted = Signal(int, int)

    def __init__(
        self,
        specs: Sequence[PageSpec],
        session: Session,
        appearance: Appearance,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.specs = tuple(specs)
        self._places = {spec.name: place for place, spec in enumerate(self.specs)}
        self.session = session
        self.appearance = appearance
        self.pages = ShownStack()
        self.shown = ""
        self.is_shut = False
        self._made: dict[str, QWidget] = {}
        self._names: tuple[str, ...] = ()
        self._chosen: dict[tuple[str, ...], str] = {}
        self.buttons = QButtonGroup(self)
        self.buttons.idClicked.connect(lambda i: self.show_page(self.specs[i].name))
        self._row = QHBoxLayout()
        self._row.setContentsMargins(0, 4, 2, 0)
        self._row.setSpacing(0)
        for place, page in enumerate(self.specs):
            self._row.addWidget(
                self._button(place, page, f"{self.tr(page.tip)} (Ctrl+{place + 1})")
            )
        self._row.addStretch(1)
        self.shutter = QToolButton(self)
        self.shutter.setObjectName("flat")
        self.shutter.setAccessibleName("Shut or open the pages")
        self.shutter.clicked.connect(lambda: self.shut(not self.is_shut))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(self._row)
        layout.addWidget(self.pages, 1)
        # Where the rail has its own.
        layout.addWidget(
            self.shutter, 0, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        )
        self.shut(False)
        for signal in (session.round_changed, session.solved):
            signal.connect(self.refresh_marks)

    def shut(self, on: bool) -> None:
        """Leave its room to the desk, or show its pages again."""
        changed = on != self.is_shut
        self.is_shut = on
        self.setFixedWidth(SHUT_WIDTH if on else WIDTH)
        self.pages.setVisible(not on)
        self.shutter.setText("◂" if on else "▸")
        tip = "Open the pages" if on else "Shut the pages: the desk gets their room"
        self.shutter.setToolTip(f"{tip} (F4)")
        self._show_tabs()
        if changed:
            self.opened.emit(not on)

    def _show_tabs(self) -> None:
        for name, place in self._places.items():
            self.buttons.button(place).setVisible(name in self._names and not self.is_shut)

    def _button(self, place: int, page: PageSpec, tip: str) -> MarkedTab:
        title = self.tr(page.title)
        button = MarkedTab(title, " ", page.widest_mark, font(8.5), TAB_PX, self)
        button.setToolTip(plain_tip(tip))
        self.buttons.addButton(button, place)
        return button

    def refresh_marks(self) -> None:
        """Say on each tab what its page has to say of the shown round."""
        for place, spec in enumerate(self.specs):
            mark = spec.mark(self.session)
            button = self.buttons.button(place)
            assert isinstance(button, MarkedTab)
            button.show_mark(mark.text)
            tip = f"{self.tr(spec.tip)} (Ctrl+{place + 1})"
            button.setToolTip(plain_tip(f"{tip}: {mark.tip}" if mark.tip else tip))

    def page(self, name: str) -> QWidget:
        """A page by its name, made if it is not there yet."""
        if name not in self._made:
            made = self.specs[self._places[name]].make(self.session, self.appearance)
            look = getattr(made, "look", None)
            # Most pages have nothing to show on the tape.
            if look is not None:
                look.connect(self.look)
            replace_wanted = getattr(made, "replace_wanted", None)
            if replace_wanted is not None:
                replace_wanted.connect(self.replace_wanted)
            self.pages.addWidget(made)
            self._made[name] = made
        return self._made[name]

    def show_pages_of(self, names: Sequence[str]) -> None:
        """Show the pages of a desk, at the one that was open there last."""
        self._names = tuple(names)
        self._show_tabs()
        self.setVisible(bool(names))
        if names:
            self._turn(self._chosen.get(self._names, names[0]))

    def show_page(self, name: str) -> None:
        """Turn to a page, if the desk that is shown has it; it opens for that."""
        if name in self._names:
            self.shut(False)
            self._turn(name)

    def _turn(self, name: str) -> None:
        self._chosen[self._names] = name
        self.shown = name
        self.buttons.button(self._places[name]).setChecked(True)
        self.pages.setCurrentWidget(self.page(name))
        self.turned.emit(name)

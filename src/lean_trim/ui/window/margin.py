"""The margin: pages about the choice, those of the desk that is shown, one at a time."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.ui.pages.registry import PAGES
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip

WIDTH = 270
WORDS = {"danger": "danger", "warning": "caution", "note": "note"}


class Margin(QWidget):
    """Each page is made when it is first turned to. ``look`` asks for a stretch of the tape.

    ``replace_wanted`` asks for a file in the place of a log: round id, log id.
    """

    look = Signal(float, float)
    turned = Signal(str)
    replace_wanted = Signal(int, int)

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.pages = QStackedWidget()
        self.shown = ""
        self._made: dict[str, QWidget] = {}
        self._names: tuple[str, ...] = ()
        self._chosen: dict[tuple[str, ...], str] = {}
        self.buttons = QButtonGroup(self)
        self.buttons.idClicked.connect(lambda i: self.show_page(list(PAGES)[i]))
        self._row = QHBoxLayout()
        self._row.setContentsMargins(0, 4, 2, 0)
        self._row.setSpacing(0)
        for place, page in enumerate(PAGES.values()):
            self._row.addWidget(
                self._button(place, self.tr(page.title), f"{self.tr(page.tip)} (Ctrl+{place + 1})")
            )
        self._row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(self._row)
        layout.addWidget(self.pages, 1)
        self.setFixedWidth(WIDTH)
        for signal in (session.round_changed, session.solved):
            signal.connect(self._mark_findings)

    def _button(self, place: int, title: str, tip: str) -> QToolButton:
        button = QToolButton(self)
        button.setText(title)
        button.setObjectName("tab")
        button.setProperty("narrow", True)
        button.setToolTip(tip)
        button.setFont(font(8.5))
        button.setCheckable(True)
        self.buttons.addButton(button, place)
        return button

    def _mark_findings(self) -> None:
        """How many there are, on the tab itself: nobody looks for a danger they do not know of."""
        solution = self.session.solution
        found = solution.findings if solution is not None else ()
        spec = PAGES["findings"]
        button = self.buttons.button(list(PAGES).index("findings"))
        # No meaning by colour alone, and none at all by a colour that a theme would have to follow.
        mark = "!" if any(f.severity == "danger" for f in found) else ""
        button.setText(
            f"{self.tr(spec.title)} {len(found)}{mark}" if found else self.tr(spec.title)
        )
        counts = [(sum(f.severity == s for f in found), word) for s, word in WORDS.items()]
        told = ", ".join(f"{n} {word}" + ("s" if n > 1 else "") for n, word in counts if n)
        button.setToolTip(plain_tip(f"{self.tr(spec.tip)}: {told}" if told else self.tr(spec.tip)))

    def page(self, name: str) -> QWidget:
        """A page by its name, made if it is not there yet."""
        if name not in self._made:
            made = PAGES[name].make(self.session, self.appearance)
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
        for place, name in enumerate(PAGES):
            self.buttons.button(place).setVisible(name in names)
        self.setVisible(bool(names))
        if names:
            self.show_page(self._chosen.get(self._names, names[0]))

    def show_page(self, name: str) -> None:
        """Turn to a page, if the desk that is shown has it."""
        if name not in self._names:
            return
        self._chosen[self._names] = name
        self.shown = name
        self.buttons.button(list(PAGES).index(name)).setChecked(True)
        self.pages.setCurrentWidget(self.page(name))
        self.turned.emit(name)

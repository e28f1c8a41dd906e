"""What is to be minded, in one line: how many of which kind; in full on a click."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.decision.cautions import Caution
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.elided_line import LINE_H, ElidedLine
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.whole_text import WholeText

MOST_OPEN = 150
LOW_OPEN = 96
LOW_WINDOW = 700
"""Heights, px: of what opens below the line, and of that in a window lower than the last."""
BUTTON_W = 90
SCROLL_W = 14
GAP = 3
"""Widths and gaps of what opens, px."""
FOLDED = "▸"
UNFOLDED = "▾"


class CautionLine(QWidget):
    """A line that opens; ``chosen`` carries the cells of a caution that is to be looked at."""

    chosen = Signal(object)

    def __init__(self, appearance: Appearance) -> None:
        super().__init__()
        self.appearance = appearance
        self._said = ""
        self._cautions: tuple[Caution, ...] = ()
        self.line = ElidedLine()
        self.mark = QToolButton()
        self.mark.setObjectName("flat")
        self.mark.setFixedSize(LINE_H, LINE_H)
        self.mark.setText(FOLDED)
        self.mark.setAccessibleName("Show every caution in full")
        self.mark.clicked.connect(self.turn_over)
        self.line.clicked.connect(self.turn_over)
        self.panel = QScrollArea()
        self.panel.setWidgetResizable(True)
        self.panel.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.panel.hide()
        head = QHBoxLayout()
        head.setSpacing(0)
        head.addWidget(self.mark)
        head.addWidget(self.line, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.panel)
        self.setAccessibleName("Cautions")

    def text(self) -> str:
        """Everything that is said, in full, for screen readers and tests."""
        return self._said

    def show_cautions(
        self, cautions: Sequence[Caution], when: str, summary: str, warns: bool
    ) -> None:
        """Take what is to be minded.

        Parameters
        ----------
        cautions : dangers first; none shows the summary.
        when : before what, as "accept".
        summary : what is decided, where there is nothing to mind.
        warns : whether the summary itself is a caution.
        """
        self._cautions = tuple(cautions)
        full = "  ".join(c.text for c in cautions)
        said = f"Before you {when}: {full}" if full else summary
        theme = self.appearance.theme
        self.line.setText(f"Before you {when}:  {counted(cautions)}" if full else summary)
        self.line.setToolTip(plain_tip(said))
        self.mark.setVisible(bool(said))
        self._color(theme, any(c.is_danger for c in cautions), bool(full) or warns)
        if said != self._said:
            self._said = said
            self.setAccessibleDescription(said)
            if not self.panel.isHidden():
                self._fill()

    def _color(self, theme: Theme, danger: bool, warns: bool) -> None:
        paper, edge = (theme.caution_paper, theme.danger) if warns else (theme.paper, theme.edge)
        ink = theme.danger if danger else theme.ink
        rules = f"background: {paper}; color: {ink}; border-left: 3px solid {edge}; padding: 0 6px;"
        if rules != self.line.styleSheet():
            self.line.setStyleSheet(rules)

    def turn_over(self) -> None:
        """Open, or fold again."""
        opened = self.panel.isHidden()
        if opened:
            self._fill()
        self.panel.setVisible(opened)
        self.mark.setText(UNFOLDED if opened else FOLDED)

    def fold(self) -> None:
        """Back to one line."""
        self.panel.hide()
        self.mark.setText(FOLDED)

    def _fill(self) -> None:
        """Every caution in full, with its cells to be chosen."""
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(LINE_H, GAP, 0, GAP)
        column.setSpacing(GAP)
        texts = [(c.text, c.cells, c.is_danger) for c in self._cautions]
        room = self.width() - LINE_H - BUTTON_W - SCROLL_W
        needed = 0
        for text, cells, danger in texts or [(self._said, frozenset(), False)]:
            row = QHBoxLayout()
            label = WholeText(9, bold=danger)
            label.setText(text)
            needed += max(label.heightForWidth(room), LINE_H if cells else 0) + GAP
            row.addWidget(label, 1)
            row.addWidget(self._chooser(cells), 0, Qt.AlignmentFlag.AlignTop)
            column.addLayout(row)
        column.addStretch(1)
        self.panel.setWidget(inside)
        low = self.window().height() < LOW_WINDOW
        self.panel.setFixedHeight(min(needed + 2 * GAP, LOW_OPEN if low else MOST_OPEN))

    def _chooser(self, cells: frozenset[int]) -> QWidget:
        """A button that chooses the cells a caution speaks of; room for one where it names none."""
        if not cells:
            blank = QWidget()
            blank.setFixedWidth(BUTTON_W)
            return blank
        button = QToolButton()
        button.setObjectName("flat")
        button.setFont(font(9))
        button.setFixedWidth(BUTTON_W)
        button.setText(f"Choose {len(cells)}")
        button.setToolTip("Choose these cells on the table")
        button.clicked.connect(lambda _=False: self.chosen.emit(cells))
        return button


def counted(cautions: Sequence[Caution]) -> str:
    """Cautions in one line: dangers by their names, then how many of which other kind.

    Parameters
    ----------
    cautions : dangers first.

    Returns
    -------
    As "2 dangers: knock for 1.2 s, 5 leaner in boost · 1 caution: 12 large steps".
    """
    parts = []
    for word, group in (
        ("danger", [c for c in cautions if c.is_danger]),
        ("caution", [c for c in cautions if not c.is_danger]),
    ):
        if group:
            plural = "" if len(group) == 1 else "s"
            parts.append(f"{len(group)} {word}{plural}: {', '.join(c.words for c in group)}")
    return "  ·  ".join(parts)

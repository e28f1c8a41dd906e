"""The logs of the shown round, one row each, with what can be done about them."""

from __future__ import annotations

import math

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.text import signed
from lean_trim.job.records import LogInfo
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.log_menu import fill_log_menu
from lean_trim.ui.widgets.page import running_text

SHARE_TIP = (
    "Weight: the part of all evidence this log brings. Difference: how far what it needs is "
    "from what all logs together need; a log far from 0 does not agree with the others."
)


def log_facts(share: LogShare | None, several: bool) -> str:
    """One log in a line: its weight, how much of it was used, whether it agrees with the others.

    Parameters
    ----------
    share : what it contributes, None while nothing is solved.
    several : whether there are others to agree with.

    Returns
    -------
    Text with units.
    """
    if share is None:
        return "not worked out"
    parts = [f"{share.weight_pct:.0f} % of the weight" if several else ""]
    parts.append(f"{share.used_s:.0f} of {share.seconds:.0f} s used")
    if several and math.isfinite(share.apart_pct):
        parts.append(f"differs from all together by {signed(share.apart_pct, 2)} %")
    if share.translated:
        parts.append("translated from another table")
    return ", ".join(p for p in parts if p)


class LogRow(QWidget):
    """Name, facts, and a button that opens what can be done."""

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        info: LogInfo,
        facts: str,
        rests: bool,
        rows: LogRows,
    ) -> None:
        super().__init__(rows)
        self.info = info
        self.name = Label(info.name, self)
        self.name.setFont(font(9, bold=not rests))
        self.name.setToolTip(plain_tip(f"Added {info.added}"))
        self.facts = running_text(8.5, "left out, does not count" if rests else facts)
        self.facts.setToolTip(plain_tip(SHARE_TIP))
        self.facts.setStyleSheet(f"color: {appearance.theme.faint};")
        self.menu = QMenu(self)
        self.menu.aboutToShow.connect(
            lambda: fill_log_menu(self.menu, session, info.id, rows.replace_wanted.emit)
        )
        self.button = QToolButton(self)
        self.button.setText("Change ▾")
        self.button.setFont(font(8.5))
        self.button.setToolTip("Leave out, replace, move or remove this log; undo takes it back")
        self.button.setAccessibleName(f"Change {info.name}")
        self.button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.button.setMenu(self.menu)
        self.button.setEnabled(session.can_save)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 4)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(0)
        grid.addWidget(self.name, 0, 0)
        grid.addWidget(self.button, 0, 1)
        grid.addWidget(self.facts, 1, 0, 1, 2)
        grid.setColumnStretch(0, 1)


class LogRows(QWidget):
    """``replace_wanted`` asks for a file in the place of a log: round id, log id."""

    replace_wanted = Signal(int, int)

    def __init__(self, session: Session, appearance: Appearance) -> None:
        super().__init__()
        self.session = session
        self.appearance = appearance
        self.rows: list[LogRow] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)

    def refresh(self) -> None:
        """Show the shown round's own logs, counting ones first."""
        for row in self.rows:
            # At once: a row that waits to be deleted would still be seen beside the new ones.
            row.hide()
            self._column.removeWidget(row)
            row.deleteLater()
        self.rows = []
        current = self.session.round
        if current is None:
            return
        solution = self.session.solution
        # The round's own logs come first in a solve, in their order.
        shares = solution.logs[: len(current.logs)] if solution is not None else ()
        several = solution is not None and sum(x.weight_pct > 0.0 for x in solution.logs) > 1
        for place, info in enumerate(current.log_infos):
            share = shares[place] if place < len(shares) else None
            self._add(info, log_facts(share, several), False)
        for resting in current.resting:
            self._add(resting.info, "", True)

    def _add(self, info: LogInfo, facts: str, rests: bool) -> None:
        row = LogRow(self.session, self.appearance, info, facts, rests, self)
        self._column.addWidget(row)
        self.rows.append(row)

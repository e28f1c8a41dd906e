"""Every rule of the sieve as a switch; the count beside it is the seconds it leaves out of this log."""

from __future__ import annotations

from PySide6.QtWidgets import QMenu, QWidget

from ..core.sieve import RULES
from .session import Session


class SieveMenu(QMenu):
    """Filled anew each time it opens."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__("Sieve rules", parent)
        self.session = session
        self.setToolTipsVisible(True)
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """One tick a rule."""
        self.clear()
        off = self.session.settings.sieve.disabled
        solution = self.session.solution
        for rule in RULES:
            seconds = solution.sifted.seconds[rule.name] if solution is not None else 0.0
            action = self.addAction(f"{rule.label}  –  {seconds:.0f} s" if seconds >= 0.5 else rule.label)
            action.setToolTip(rule.why)
            action.setCheckable(True)
            action.setChecked(rule.name not in off)
            action.triggered.connect(lambda on, name=rule.name: self.session.use_rule(name, on))

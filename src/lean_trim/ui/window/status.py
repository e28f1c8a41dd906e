"""The line at the bottom: what the pointer is over, what runs, and how to stop it."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QProgressBar, QPushButton, QStatusBar

from lean_trim.ui.session import Session
from lean_trim.ui.theme import font

STEPS = 1000


class Status:
    """Parts of the window's status bar."""

    def __init__(self, bar: QStatusBar, session: Session) -> None:
        self.hover = QLabel()
        self.hover.setFont(font(9))
        self.progress = QProgressBar()
        self.progress.setFixedWidth(230)
        self.progress.setRange(0, STEPS)
        self.cancel_button = QPushButton(bar.tr("Cancel"))
        self.cancel_button.clicked.connect(session.cancel)
        bar.setSizeGripEnabled(False)
        bar.addWidget(self.hover, 1)
        bar.addPermanentWidget(self.progress)
        bar.addPermanentWidget(self.cancel_button)
        self._idle()
        session.busy.connect(self._busy)
        session.idle.connect(self._idle)

    def _busy(self, title: str, share: float) -> None:
        self.progress.setFormat(f"{title}  %p %")
        self.progress.setValue(round(STEPS * share))
        self.progress.show()
        self.cancel_button.show()

    def _idle(self) -> None:
        self.progress.hide()
        self.cancel_button.hide()

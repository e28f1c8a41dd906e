"""The line at the bottom: what the pointer is over, what runs, and how to stop it."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QProgressBar, QPushButton, QSizePolicy, QStatusBar

from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, plain_tip

STEPS = 1000
PROGRESS_W = 300
"""Room for what runs, px: the longest title with its share."""
PASSES_MS = 8000
"""How long what was done stays to be read."""


class Status:
    """Parts of the window's status bar."""

    def __init__(self, bar: QStatusBar, session: Session) -> None:
        self.hover = Label()
        self.hover.setFont(font(9))
        self.hover.setAccessibleName("What the pointer is over")
        # A long line must not make the window wider than the screen.
        self.hover.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.done = Label()
        self.done.setFont(font(9, bold=True))
        self.done.setAccessibleName("What was done last")
        self.done.hide()
        self._timer = QTimer(self.done)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.done.hide)
        self.progress = QProgressBar()
        self.progress.setFixedWidth(PROGRESS_W)
        self.progress.setRange(0, STEPS)
        self.cancel_button = QPushButton(bar.tr("Cancel"))
        self.cancel_button.clicked.connect(session.cancel)
        bar.setSizeGripEnabled(False)
        bar.setContentsMargins(8, 0, 4, 0)
        bar.addWidget(self.done)
        bar.addWidget(self.hover, 1)
        bar.addPermanentWidget(self.progress)
        bar.addPermanentWidget(self.cancel_button)
        self._idle()
        session.busy.connect(self._busy)
        session.idle.connect(self._idle)

    def pass_by(self, text: str) -> None:
        """Say what was done; it goes by itself."""
        self.done.setText(text)
        self.done.show()
        self._timer.start(PASSES_MS)

    def clear(self) -> None:
        """Say nothing: what was said belongs to a job that is closed."""
        self.hover.clear()
        self.done.hide()

    def _busy(self, title: str, share: float) -> None:
        room = PROGRESS_W - self.progress.fontMetrics().horizontalAdvance("  100 %") - 12
        cut = self.progress.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, room)
        # A percent sign of a file's name would be read as a place for a number.
        self.progress.setFormat(f"{cut.replace('%', '')}  %p %")
        self.progress.setToolTip(plain_tip(title))
        self.progress.setValue(round(STEPS * share))
        self.progress.show()
        self.cancel_button.show()

    def _idle(self) -> None:
        self.progress.hide()
        self.cancel_button.hide()

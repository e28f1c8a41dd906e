"""One clear sentence at the top of the window, with what may be done about it; never a dialog."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QWidget

from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label
from lean_trim.workspace.changes import Remedy

BESIDE_PX = 6
"""Room around a message that lies over a page."""


class MessageBar(QWidget):
    """Shows the latest message; errors stay until dismissed or replaced.

    ``remedy`` tells what the user wants done.
    """

    remedy = Signal(str)

    def __init__(
        self, appearance: Appearance, name: str = "Message", parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.kind = "note"
        self._over: QWidget | None = None
        self.text = Label(self)
        self.text.setWordWrap(True)
        self.text.setFont(font(9.5))
        self.text.setAccessibleName(name)
        self.remedies = {
            Remedy.SAVE_ELSEWHERE: self._button(
                Remedy.SAVE_ELSEWHERE, self.tr("Save the job elsewhere…")
            ),
            Remedy.TAKE_OVER: self._button(Remedy.TAKE_OVER, self.tr("Take the job over")),
            Remedy.LET_GO: self._button(Remedy.LET_GO, self.tr("Let them go")),
            Remedy.REPAIR: self._button(Remedy.REPAIR, self.tr("Repair by copy…")),
        }
        self.close_button = QToolButton(self)
        self.close_button.setText(self.tr("Dismiss"))
        self.close_button.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 6, 4)
        row.addWidget(self.text, 1)
        for button in self.remedies.values():
            row.addWidget(button)
        row.addWidget(self.close_button)
        self.setAutoFillBackground(True)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        appearance.changed.connect(self._paint)
        self.hide()

    def _button(self, remedy: Remedy, text: str) -> QPushButton:
        button = QPushButton(text, self)
        button.clicked.connect(lambda: self.remedy.emit(remedy))
        button.hide()
        return button

    def float_over(self, page: QWidget) -> None:
        """Lie over the lower edge of a page, so that nothing on it moves when a message comes.

        Parameters
        ----------
        page : that is covered there, until the message is dismissed.
        """
        self.setParent(page)
        self._over = page
        page.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay at the lower edge."""
        if watched is self._over and event.type() == QEvent.Type.Resize:
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        if self._over is None:
            return
        width = self._over.width() - 2 * BESIDE_PX
        # Buttons that help need their height; a long sentence takes its lines.
        height = max(self.heightForWidth(width), self.minimumSizeHint().height())
        self.setGeometry(BESIDE_PX, self._over.height() - height - BESIDE_PX, width, height)
        self.raise_()

    def show_message(self, kind: str, text: str, remedies: Sequence[Remedy] = ()) -> None:
        """Show a message of kind "note" or "error" with the buttons that help."""
        self.kind = kind
        self.text.setText(
            text if kind == "note" else self.tr("Not done: {reason}").format(reason=text)
        )
        for remedy, button in self.remedies.items():
            button.setVisible(remedy in remedies)
        self._paint()
        self.show()
        self._place()

    def _paint(self) -> None:
        theme = self.appearance.theme
        edge = theme.danger if self.kind == "error" else theme.accent
        self.setStyleSheet(
            f"MessageBar {{ background: {theme.caution_paper}; border: 1px solid {theme.edge}; }}"
            f"QLabel {{ background: {theme.caution_paper}; color: {theme.ink}; }}"
        )
        self.text.setStyleSheet(f"border-left: 3px solid {edge}; padding-left: 8px;")


class AccessBanner(MessageBar):
    """Stays as long as the job can only be looked at, and says why."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(appearance, "Read-only banner", parent)
        self.kind = "error"
        self.close_button.hide()

    def show_access(self, read_only: str) -> None:
        """Stand as the job says; "" hides the banner."""
        if not read_only:
            self.hide()
            return
        self.show_message("error", "", (Remedy.TAKE_OVER, Remedy.SAVE_ELSEWHERE))
        words = self.tr("Only to look at: nothing can be saved here, because {reason}.")
        self.text.setText(words.format(reason=read_only))

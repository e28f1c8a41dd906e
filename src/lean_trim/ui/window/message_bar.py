"""One clear sentence at the top of the window, dismissed by the user; never a dialog."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from lean_trim.ui.theme import Appearance, font


class MessageBar(QWidget):
    """Shows the latest message; errors stay until dismissed or replaced."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.kind = "note"
        self.text = QLabel(self)
        self.text.setWordWrap(True)
        self.text.setFont(font(9.5))
        self.text.setAccessibleName("Message")
        self.close_button = QToolButton(self)
        self.close_button.setText("Dismiss")
        self.close_button.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 6, 4)
        row.addWidget(self.text, 1)
        row.addWidget(self.close_button)
        self.setAutoFillBackground(True)
        appearance.changed.connect(self._paint)
        self.hide()

    def show_message(self, kind: str, text: str) -> None:
        """Show a message of kind "note" or "error"."""
        self.kind = kind
        self.text.setText(text if kind == "note" else f"Not done: {text}")
        self._paint()
        self.show()

    def _paint(self) -> None:
        theme = self.appearance.theme
        edge = theme.danger if self.kind == "error" else theme.accent
        self.setStyleSheet(f"MessageBar, QLabel {{ background: {theme.caution_paper}; color: {theme.ink}; }}")
        self.text.setStyleSheet(f"border-left: 3px solid {edge}; padding-left: 8px;")

"""A field that is answered by one deliberate choice: a button with a menu, and a line to type into.

Opening, leaving, scrolling over or tabbing through it changes nothing. Only an entry that is picked, or a
text that is ended with Return, counts.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPaintEvent, QPalette, QResizeEvent
from PySide6.QtWidgets import (
    QLineEdit,
    QMenu,
    QPushButton,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
    QWidget,
)

from lean_trim.ui.widgets.label import plain_tip

OPENS = "▾"
ARROW_PX = 14
INSET_PX = 7
OPENING_KEYS = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down)


@dataclass(frozen=True)
class Entry:
    """What can be chosen: its words and what it stands for; ``apart`` puts a line above it."""

    text: str
    data: object
    apart: bool = False


class ChoiceButton(QPushButton):
    """Shows what is chosen; signals ``chosen`` with the data of an entry, or with the text typed.

    Parameters
    ----------
    entries : gives what can be chosen, asked for when the menu is opened.
    typed : words for the entry that opens a line to type into, "" for none.
    hint : shown in that line while it is empty.
    """

    chosen = Signal(object)

    def __init__(
        self,
        entries: Callable[[], Sequence[Entry]],
        typed: str = "",
        hint: str = "",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.entries = entries
        self.typed = typed
        self.hint = hint
        self.line: QLineEdit | None = None
        self.open_menu: QMenu | None = None
        self._current: object = None
        self.setObjectName("choice")
        self.clicked.connect(self.open)

    def show_choice(self, text: str, data: object = None) -> None:
        """Show what is chosen now; nothing is signalled.

        Parameters
        ----------
        text : on the button.
        data : of the entry that is marked when the menu opens.
        """
        self._current = data
        self.setText(text.replace("&", "&&"))
        self.setToolTip(plain_tip(text))

    def open(self) -> None:
        """Open the menu below the button."""
        menu = QMenu(self)
        for entry in self.entries():
            if entry.apart:
                menu.addSeparator()
            action = menu.addAction(entry.text.replace("&", "&&"))
            action.triggered.connect(lambda _=False, data=entry.data: self.chosen.emit(data))
            if self._current is not None and entry.data == self._current:
                menu.setActiveAction(action)
        if self.typed:
            menu.addSeparator()
            menu.addAction(self.typed).triggered.connect(lambda: self.begin_typing(""))
        menu.aboutToHide.connect(self._menu_closed)
        self.open_menu = menu
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))

    def _menu_closed(self) -> None:
        menu, self.open_menu = self.open_menu, None
        if menu is not None:
            menu.deleteLater()

    def begin_typing(self, text: str) -> None:
        """Put a line to type into over the button.

        Parameters
        ----------
        text : it begins with.
        """
        line = QLineEdit(text, self.parentWidget() or self)
        line.setPlaceholderText(self.hint)
        line.setToolTip(plain_tip(f"{self.hint}; Return takes it, Escape leaves it as it was"))
        line.setAccessibleName(self.accessibleName())
        line.setGeometry(self.geometry())
        line.installEventFilter(self)
        line.show()
        line.setFocus(Qt.FocusReason.OtherFocusReason)
        self.line = line

    def _end_typing(self, text: str) -> None:
        """Put the line away; only a text counts."""
        line, self.line = self.line, None
        if line is None:
            return
        had_focus = line.hasFocus()
        line.removeEventFilter(self)
        line.hide()
        line.deleteLater()
        if had_focus:
            self.setFocus(Qt.FocusReason.OtherFocusReason)
        if text.strip():
            self.chosen.emit(text.strip())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Return takes what was typed; Escape and going elsewhere leave things as they were."""
        if watched is self.line and self.line is not None:
            if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
                if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                    self._end_typing(self.line.text())
                    return True
                if event.key() == Qt.Key.Key_Escape:
                    self._end_typing("")
                    return True
                if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
                    self._end_typing("")
                    self.focusNextPrevChild(event.key() == Qt.Key.Key_Tab)
                    return True
            if event.type() == QEvent.Type.FocusOut and not self.line.hasFocus():
                self._end_typing("")
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Open by the usual keys; a letter begins typing where that is possible."""
        text = event.text()
        if event.key() in OPENING_KEYS:
            self.open()
        elif self.typed and text.isprintable() and text.strip():
            self.begin_typing(text)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The button with its text, cut where there is no room, and the sign that it opens."""
        option = QStyleOptionButton()
        self.initStyleOption(option)
        words = option.text  # type: ignore[attr-defined]
        option.text = ""  # type: ignore[attr-defined]
        p = QStylePainter(self)
        p.drawControl(QStyle.ControlElement.CE_PushButton, option)
        ink = QPalette.ColorGroup.Normal if self.isEnabled() else QPalette.ColorGroup.Disabled
        p.setPen(self.palette().color(ink, QPalette.ColorRole.ButtonText))
        room = self.rect().adjusted(INSET_PX, 0, -INSET_PX, 0)
        if self.isEnabled():
            p.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, OPENS)
            room.setRight(room.right() - ARROW_PX)
        words = words.replace("&&", "&")
        cut = self.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room.width())
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        p.drawText(room, left | Qt.TextFlag.TextSingleLine, cut)

    def sizeHint(self) -> QSize:
        """Room for the text and the sign."""
        hint = super().sizeHint()
        return QSize(hint.width() + ARROW_PX, hint.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The line stays over the button."""
        super().resizeEvent(event)
        if self.line is not None:
            self.line.setGeometry(self.geometry())

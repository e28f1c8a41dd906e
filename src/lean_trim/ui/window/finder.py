"""Find any command by typing part of its name."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Finder(QDialog):
    """A line to type in and the commands that fit; Enter runs the chosen one."""

    def __init__(self, actions: list[QAction], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(460, 320)
        self.actions_ = [a for a in actions if a.text()]
        self.line = QLineEdit(self)
        self.list = QListWidget(self)
        self.line.setPlaceholderText("Type part of a command")
        self.line.setAccessibleName("Command to find")
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.line.textChanged.connect(self.search)
        self.line.returnPressed.connect(self.run_chosen)
        self.list.itemActivated.connect(self.run_chosen)
        self.search("")

    def search(self, text: str) -> None:
        """List the commands that contain every word."""
        self.list.clear()
        words = text.lower().split()
        for action in self.actions_:
            name = action.text().replace("&", "")
            if all(w in name.lower() for w in words):
                item = QListWidgetItem(
                    f"{name}\t{action.shortcut().toString()}" if not action.shortcut().isEmpty() else name
                )
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def run_chosen(self, *_: object) -> None:
        """Run the chosen command and close."""
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()
            item.data(Qt.ItemDataRole.UserRole).trigger()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down move through the list while the line has the focus."""
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
        else:
            super().keyPressEvent(event)

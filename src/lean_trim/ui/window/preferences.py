"""What the window remembers from one time to the next: theme, size, desk, page, folders."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QByteArray, QSettings, QSize
from PySide6.QtGui import QScreen

FILE = "window.ini"
WANTED = QSize(1280, 800)
"""Size of the first window where the screen has room for it."""
LEAST = QSize(900, 560)
FRAME = QSize(8, 40)
"""What a window manager's frame takes, about; the window's inner size has to leave it room."""


class Preferences:
    """A small file in the data folder; what is not understood takes its default."""

    def __init__(self, folder: Path) -> None:
        self._settings = QSettings(str(folder / FILE), QSettings.Format.IniFormat)

    def text(self, key: str, default: str = "") -> str:
        """A remembered text."""
        value = self._settings.value(key, default)
        return value if isinstance(value, str) else default

    def switch(self, key: str) -> bool:
        """A remembered switch, off by default."""
        return self.text(key) == "on"

    def keep(self, key: str, value: str | bool) -> None:
        """Remember a text or a switch."""
        self._settings.setValue(
            key, value if isinstance(value, str) else ("on" if value else "off")
        )

    def bytes(self, key: str) -> QByteArray:
        """A remembered state of a widget, empty by default."""
        value = self._settings.value(key)
        return value if isinstance(value, QByteArray) else QByteArray()

    def keep_bytes(self, key: str, value: QByteArray) -> None:
        """Remember a widget's state."""
        self._settings.setValue(key, value)

    def all(self) -> dict[str, str]:
        """Every remembered text, for a report."""
        return {key: self.text(key) for key in self._settings.allKeys()}

    def sync(self) -> None:
        """Write the file now."""
        self._settings.sync()


def first_size(screen: QScreen | None) -> QSize:
    """Size of the window when nothing is remembered: the wanted one, or what the screen has room for."""
    if screen is None:
        return WANTED
    # A window larger than the screen hides its lower edge, where the tape is.
    return WANTED.boundedTo(screen.availableGeometry().size() - FRAME).expandedTo(LEAST)

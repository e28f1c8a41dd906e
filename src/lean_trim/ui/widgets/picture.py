"""Any chart or table as a picture (PNG, SVG, PDF), or as numbers: from its context menu and the menus."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QPoint, QRect, Qt
from PySide6.QtGui import (
    QGuiApplication,
    QImage,
    QImageWriter,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QPixmap,
)
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from lean_trim.core.types import Floats
from lean_trim.formats.whole_files import write_whole, write_whole_bytes
from lean_trim.ui.theme import LIGHT

PICTURED = "pictured"
"""Property of a widget that can be had as a picture."""
SHARPNESS = 2.0
"""Pixels of a picture for one of the screen, so that it can be printed."""
FILTER = "Pictures (*.png *.svg *.pdf);;Numbers (*.csv)"
PAGE_MARGIN_MM = 15.0
TALLEST = 1.2
"""Height over width up to which a page lies on its side."""


@dataclass(frozen=True)
class Pictured:
    """What is offered of a widget.

    Attributes
    ----------
    widget : that is painted.
    name : of a file, without suffix.
    numbers : what it shows as tab-separated text; None where it shows none.
    """

    widget: QWidget
    name: str
    numbers: Callable[[], str] | None = None

    def copy(self) -> None:
        """Put a picture on the clipboard."""
        QGuiApplication.clipboard().setPixmap(self._grabbed())

    def _grabbed(self) -> QPixmap:
        with _whole(self.widget):
            return self.widget.grab()

    def copy_numbers(self) -> None:
        """Put its numbers on the clipboard."""
        if self.numbers is not None:
            QGuiApplication.clipboard().setText(self.numbers())

    def save(self, path: Path) -> None:
        """Write it as what the file's suffix says: PNG, SVG, a page as PDF, or its numbers as CSV.

        Raises
        ------
        OSError
            If it cannot be written; an earlier file is as it was.
        """
        suffix = path.suffix.lower()
        if suffix == ".csv" and self.numbers is not None:
            write_whole(path, self.numbers().replace("\t", ","))
            return
        made = {".svg": self._svg, ".pdf": self._pdf}.get(suffix, self._png)
        with _whole(self.widget):
            written = made()
        write_whole_bytes(path, written)

    def _pdf(self) -> bytes:
        """One A4 page, by day whatever the window looks like."""
        size = self.widget.size()
        wide = size.height() < TALLEST * size.width()
        margins = QMarginsF(*(PAGE_MARGIN_MM,) * 4)
        way = QPageLayout.Orientation.Landscape if wide else QPageLayout.Orientation.Portrait
        page = QPageLayout(QPageSize(QPageSize.PageSizeId.A4), way, margins)

        def draw(device: QIODevice) -> None:
            writer = QPdfWriter(device)
            writer.setTitle(self.name)
            writer.setPageLayout(page)
            painter = QPainter(writer)
            room = page.paintRectPixels(writer.resolution())
            scale = min(room.width() / size.width(), room.height() / size.height())
            painter.scale(scale, scale)
            with _by_day(self.widget):
                self.widget.render(painter, QPoint(0, 0))
            painter.end()

        return _bytes(draw)

    def _png(self) -> bytes:
        size = self.widget.size() * SHARPNESS
        image = QImage(size, QImage.Format.Format_ARGB32)
        image.setDevicePixelRatio(SHARPNESS)
        self.widget.render(image)
        return _bytes(lambda device: QImageWriter(device, b"png").write(image))

    def _svg(self) -> bytes:
        from PySide6.QtSvg import QSvgGenerator

        def draw(device: QIODevice) -> None:
            generator = QSvgGenerator()
            generator.setOutputDevice(device)
            generator.setSize(self.widget.size())
            generator.setViewBox(QRect(QPoint(0, 0), self.widget.size()))
            generator.setTitle(self.name)
            painter = QPainter(generator)
            self.widget.render(painter, QPoint(0, 0))
            painter.end()

        return _bytes(draw)


@contextmanager
def _by_day(widget: QWidget) -> Iterator[None]:
    """A widget as it is painted by day, for paper is white."""
    appearance = getattr(widget, "appearance", None)
    if appearance is None:
        yield
        return
    theme = appearance.theme
    appearance.theme = LIGHT
    try:
        yield
    finally:
        appearance.theme = theme


@contextmanager
def _whole(widget: QWidget) -> Iterator[None]:
    """All of a widget that shows only a part of what it holds, while its picture is made."""
    whole_size = getattr(widget, "whole_size", None)
    kept = widget.size()
    if whole_size is not None:
        widget.resize(whole_size())
    try:
        yield
    finally:
        widget.resize(kept)


def _bytes(draw: Callable[[QIODevice], object]) -> bytes:
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    draw(buffer)
    buffer.close()
    return bytes(data.data())


def offer_picture(
    widget: QWidget, name: str, numbers: Callable[[], str] | None = None, menu: bool = True
) -> Pictured:
    """Let a widget be had as a picture.

    Parameters
    ----------
    widget : that is painted.
    name : of a file, without suffix.
    numbers : what it shows as tab-separated text.
    menu : give it a context menu of its own; False where it has one.

    Returns
    -------
    What is offered.
    """
    offered = Pictured(widget=widget, name=name, numbers=numbers)
    widget.setProperty(PICTURED, offered)
    if menu:
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        widget.customContextMenuRequested.connect(lambda place: _popup(offered, place))
    return offered


def _popup(offered: Pictured, place: QPoint) -> None:
    menu = QMenu(offered.widget)
    add_picture_actions(menu, offered)
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(offered.widget.mapToGlobal(place))


def add_picture_actions(menu: QMenu, offered: Pictured) -> None:
    """Add what is offered to a menu.

    Parameters
    ----------
    menu : of the widget.
    offered : by ``offer_picture``.
    """
    menu.addAction("Copy as a picture").triggered.connect(lambda _=False: offered.copy())
    if offered.numbers is not None:
        menu.addAction("Copy its numbers").triggered.connect(lambda _=False: offered.copy_numbers())
    menu.addAction("Save as picture or numbers…").triggered.connect(
        lambda _=False: ask_where(offered)
    )


def ask_where(offered: Pictured, folder: Path | None = None, suffix: str = ".png") -> Path | None:
    """Ask for a file, and write what is offered.

    Parameters
    ----------
    offered : by ``offer_picture``.
    folder : where the question begins.
    suffix : of the name that is offered.

    Returns
    -------
    The file, None where none was written.
    """
    wanted = str((folder or Path.home()) / f"{offered.name}{suffix}")
    chosen, _ = QFileDialog.getSaveFileName(offered.widget, "Save what is shown", wanted, FILTER)
    if not chosen:
        return None
    path = Path(chosen)
    try:
        offered.save(path)
    except OSError as error:
        _tell(offered.widget, f"{path.name} could not be written: {error.strerror or error}.")
        return None
    return path


def _tell(widget: QWidget, text: str) -> None:
    from PySide6.QtWidgets import QMessageBox

    QMessageBox.warning(widget, "Not saved", text)


def pictured_in(root: QWidget) -> Pictured | None:
    """What is meant by "this chart": the one with the focus, else the largest that is shown.

    Parameters
    ----------
    root : looked through.

    Returns
    -------
    None where nothing can be had as a picture.
    """
    found = [(w, w.property(PICTURED)) for w in root.findChildren(QWidget) if w.isVisible()]
    offered = [(w, p) for w, p in found if isinstance(p, Pictured)]
    focused = [p for w, p in offered if w.hasFocus()]
    if focused:
        return focused[0]
    offered.sort(key=lambda pair: -pair[0].width() * pair[0].height())
    return offered[0][1] if offered else None


def columns_text(columns: Mapping[str, Sequence[float] | Floats]) -> str:
    """Columns of numbers as tab-separated text; shorter ones end early, what is unknown is blank.

    Parameters
    ----------
    columns : by heading, with the unit in it.

    Returns
    -------
    A line per row with its end.
    """
    values = [np.asarray(v, float).ravel() for v in columns.values()]
    lines = ["\t".join(columns)]
    for row in range(max((len(v) for v in values), default=0)):
        cells = [v[row] if row < len(v) else np.nan for v in values]
        lines.append("\t".join("" if not np.isfinite(c) else f"{c:.6g}" for c in cells))
    return "\n".join(lines) + "\n"

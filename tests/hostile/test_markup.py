"""Names and units out of files are shown as they are: no markup of theirs is read, no file opened."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QLabel, QListWidget, QWidget
from pytestqt.qtbot import QtBot

from lean_trim.core.data.log import Log
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.ui.widgets.label import Label, RichLabel, escaped, plain_tip
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import DESKS, PAGES

Until = Callable[[Callable[[], bool]], None]


WIDE = 640


@pytest.fixture
def markup(tmp_path: Path) -> str:
    """Markup that names a picture: whoever takes it for markup reads the file and shows it."""
    picture = QImage(WIDE, 40, QImage.Format.Format_RGB32)
    assert picture.save(str(tmp_path / "bait.png"))
    return f"<img src='{tmp_path}/bait.png'>x<b>y</b>"


def named(log: Log, name: str) -> Log:
    return Log(log.time_s, dict(log.channels), name)


@pytest.fixture
def window(
    qtbot: QtBot, tmp_path: Path, markup: str, short_log: Log, first_solve: None
) -> Iterator[MainWindow]:
    """A job in which every name that can come from a file is markup, on all its desks and pages."""
    vehicle = replace(heron(), name=markup)
    # The file's name as well: as much of it as a name may hold.
    path = tmp_path / "<b>job<i>.leantrim"
    store = JobStore.create(path, vehicle)
    store.add_logs(1, [store_log(named(short_log, markup))])
    with store.database.writing() as db:
        db.execute("UPDATE logs SET sha256 = ?", (markup,))
    store.close()
    made = make_window(FEATURES, tmp_path / "data")
    made.resize(1280, 800)
    made.show()
    made.opening.open_job(path)
    qtbot.waitUntil(
        lambda: made.session.solution is not None and not made.session.is_busy, timeout=60_000
    )
    yield made
    made.close()


def every_label(window: QWidget) -> list[QLabel]:
    return [*window.findChildren(QLabel)]


def wrongly_shown(window: QWidget, markup: str) -> list[str]:
    """Labels and tooltips that would take markup for markup."""
    out = []
    for label in every_label(window):
        if label.textFormat() is Qt.TextFormat.AutoText:
            out.append(f"automatic: {type(label).__name__} {label.text()[:60]!r}")
        if label.textFormat() is Qt.TextFormat.RichText and markup in label.text():
            out.append(f"not escaped: {label.text()[:80]!r}")
    for widget in window.findChildren(QWidget):
        if "<img" in widget.toolTip():
            out.append(f"tooltip: {widget.toolTip()[:60]!r}")
        if isinstance(widget, QListWidget):
            tips = (widget.item(i).toolTip() for i in range(widget.count()))
            out += [f"item tooltip: {tip[:60]!r}" for tip in tips if "<img" in tip]
    return out


@pytest.mark.slow
def test_no_name_of_a_file_is_read_as_markup_on_any_desk_or_page(
    window: MainWindow, markup: str, qtbot: QtBot, tmp_path: Path, short_log: Log
) -> None:
    """An image named in a log's name was once read until memory ended, and a FIFO froze the window."""
    for desk in DESKS:
        window.desks.show_desk(desk.name)
        QApplication.processEvents()
    window.desks.show_desk("table")
    for page in PAGES:
        window.margin.show_page(page)
        QApplication.processEvents()
    # What fails names the file; what is asked names its columns and units.
    broken = tmp_path / "<img src='bait'>.csv"
    broken.write_text("a,b\n1,2\n")
    window.session.imports.add([broken])
    qtbot.waitUntil(lambda: not window.session.is_reading, timeout=30_000)
    QApplication.processEvents()
    asked = tmp_path / "asked.csv"
    write_log_csv(short_log, asked)
    lines = asked.read_text().splitlines()
    units = lines[1].split(",")
    units[2] = markup
    asked.write_text("\n".join([lines[0], ",".join(units), *lines[2:]]))
    window.session.imports.add([asked], look=True)
    qtbot.waitUntil(lambda: not window.session.is_reading, timeout=30_000)
    window.import_sheet.repaint()
    QApplication.processEvents()
    assert wrongly_shown(window, markup) == []
    window.session.close_job()
    QApplication.processEvents()
    assert wrongly_shown(window, markup) == []


def test_what_is_left_to_qt_reads_the_file_and_a_label_does_not(qtbot: QtBot, markup: str) -> None:
    """The test sees what it is for; an endless file in place of the picture would be read for ever."""
    left = QLabel(markup)
    plain = Label(markup)
    for label in (left, plain):
        qtbot.addWidget(label)
    assert left.sizeHint().width() > WIDE > plain.minimumSizeHint().height()
    assert plain.text() == markup and plain.textFormat() is Qt.TextFormat.PlainText


def test_a_label_shows_text_and_markup_only_where_it_is_ours(qtbot: QtBot) -> None:
    plain = Label("<b>x</b>")
    rich = RichLabel()
    for label in (plain, rich):
        qtbot.addWidget(label)
    assert plain.textFormat() is Qt.TextFormat.PlainText and plain.text() == "<b>x</b>"
    assert rich.textFormat() is Qt.TextFormat.RichText
    assert escaped("<img src='a'>&") == "&lt;img src=&#x27;a&#x27;&gt;&amp;"
    assert plain_tip("a > b") == "a > b" and plain_tip("<i>\n") == "<span>&lt;i&gt;<br></span>"

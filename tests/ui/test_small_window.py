"""The window at 1100 × 640: nothing cut, nothing off the screen; times and numbers written alike."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QRect, QSize
from PySide6.QtGui import QFontMetrics, QImage, QPainter
from PySide6.QtWidgets import QApplication, QLabel, QWidget

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.legend import LEFT as LEGEND_LEFT
from lean_trim.job.store import JobStore
from lean_trim.ui.widgets.elided_line import LINE_H
from lean_trim.ui.widgets.tile_paint import LEAST_FIGURES_PX, fitting_font
from lean_trim.ui.window.finder import KEYS, Finder
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import PAGES
from tests.deciding import accept_knowingly, type_knowingly
from tests.ui.conftest import click, evidence_page, findings_page

Until = Callable[..., None]
SMALL = QSize(1100, 640)
pytestmark = pytest.mark.slow


@pytest.fixture
def small(driven: MainWindow) -> MainWindow:
    driven.resize(SMALL)
    QApplication.processEvents()
    return driven


def in_window(window: MainWindow, widget: QWidget) -> QRect:
    return QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())


@pytest.mark.parametrize("message", [False, True])
def test_every_part_is_on_the_screen(small: MainWindow, message: bool) -> None:
    click(small, 70)
    if message:
        type_knowingly(small.session.deciding, "nonsense", frozenset({70}))
    desk = table_desk(small)
    parts = (small.status.hover, small.tape, desk.bar, desk.table, small.margin)
    for page in PAGES:
        small.margin.show_page(page)
        QApplication.processEvents()
        assert small.size() == SMALL
        for part in parts:
            assert QRect(QPoint(0, 0), SMALL).contains(in_window(small, part)), (
                part.accessibleName()
            )
        edges = [in_window(small, part) for part in (desk.header, desk.table, desk.bar)]
        for above, below in pairwise(edges):
            assert above.bottom() <= below.top()


def test_the_legend_is_whole(small: MainWindow) -> None:
    click(small, 70)
    accept_knowingly(small.session.deciding)
    type_knowingly(small.session.deciding, "+3%", frozenset({70}))
    small.session.deciding.pin(frozenset({71}))
    QApplication.processEvents()
    legend = table_desk(small).legend
    legend.grab()
    assert legend.areas[0][0].left() == LEGEND_LEFT
    assert max(area.right() for area, _ in legend.areas) <= legend.width()


def test_no_figure_of_a_tile_is_cut(
    small: MainWindow, tmp_path: Path, heron_vehicle: Vehicle
) -> None:
    """“100.8” once read “00.8”."""
    table = table_desk(small).table
    type_knowingly(small.session.deciding, "=100.8", frozenset({70}))
    assert table.view is not None and table.view.text[70] == "100.8"
    room = table.tile_rect(70).width() - 6.0
    # Kept by name: a painter does not keep what it paints on alive.
    paper = QImage(10, 10, QImage.Format.Format_RGB32)
    painter = QPainter(paper)
    used = fitting_font(painter, table.view.text, room, 7.5)
    assert QFontMetrics(used).horizontalAdvance("100.8") <= room
    narrow = fitting_font(painter, ["100.8"], 20.0, 7.5)
    assert QFontMetrics(narrow).horizontalAdvance("100.8") <= 20.0
    painter.end()


def test_all_numbers_of_a_table_have_the_same_decimals(small: MainWindow) -> None:
    view = table_desk(small).table.view
    assert view is not None
    assert {len(text.partition(".")[2]) for text in view.text} == {1}
    small.session.selection.set_cells(frozenset({0, 70}))
    assert "61.3" in table_desk(small).table.describe(64) or "%" in table_desk(
        small
    ).table.describe(64)
    type_knowingly(small.session.deciding, "=80", frozenset({70}))
    assert "80.0 %" in table_desk(small).table.describe(70)


def test_findings_and_visits_are_told_in_minutes_like_the_tape(small: MainWindow) -> None:
    found = findings_page(small).findings
    texts = [found.item(i).text() for i in range(found.count())]
    assert texts and all("first at" not in t or " min" in t for t in texts)
    click(small, 70)
    page = evidence_page(small)
    visits = [page.visits.item(i).text() for i in range(page.visits.count())]
    assert visits and all(":" in v and ":60" not in v for v in visits)
    assert small.tape.data is not None


def test_lists_are_no_higher_than_their_lines(driven: MainWindow) -> None:
    page = evidence_page(driven)
    driven.margin.show_page("evidence")
    click(driven, 70)
    QApplication.processEvents()
    lines = sum(page.visits.sizeHintForRow(i) for i in range(page.visits.count()))
    assert page.visits.height() <= lines + 20


def test_labels_are_not_cut(small: MainWindow) -> None:
    """Plain labels of the rail and the header are wide enough for their words."""
    for label in table_desk(small).header.facts:
        if not label.isVisible():
            # The last figure is left out where there is no room for it.
            continue
        words = QFontMetrics(label.font()).horizontalAdvance(label.text())
        assert label.width() >= words, label.text()
    for label in small.rail.steps.findChildren(QLabel):
        if label.isVisible():
            assert label.height() >= label.heightForWidth(label.width()) - 1, label.text()


def test_shortcuts_stand_in_a_column_of_their_own(driven: MainWindow) -> None:
    finder = Finder(driven.actions_, driven)
    item = finder.list.topLevelItem(0)
    assert item is not None and "\t" not in item.text(0)
    keyed = [finder.list.topLevelItem(i).text(KEYS) for i in range(finder.list.topLevelItemCount())]  # type: ignore[union-attr]
    assert "Ctrl+Z" in keyed


def test_a_job_without_a_log_fits_too(
    window: MainWindow, tmp_path: Path, heron_vehicle: Vehicle, until: Until
) -> None:
    path = tmp_path / "empty.leantrim"
    JobStore.create(path, heron_vehicle).close()
    window.resize(SMALL)
    window.opening.open_job(path)
    until(lambda: window.session.job is not None)
    QApplication.processEvents()
    assert window.size() == SMALL
    assert (
        window.rail.steps.add_log.isVisible() and window.rail.steps.add_log.text() == "Add a log…"
    )


def test_choosing_cells_leaves_the_figures_on_the_tiles(small: MainWindow) -> None:
    """The longest caution once took so much room that no tile had a number any more."""
    for cells in ({70}, {100, 101, 116, 117}, set(range(60, 90))):
        small.session.selection.set_cells(frozenset(cells))
        QApplication.processEvents()
        assert table_desk(small).table.tile_size()[1] >= LEAST_FIGURES_PX
        caution = table_desk(small).bar.caution
        assert caution.height() == LINE_H and "danger" in caution.line.text()

"""The Transients desk in the real window: classes laid out, a change shown on the tape, rounds told apart."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtTest import QTest

from lean_trim.core.data.fuel_corrections import ENRICHMENT, WARM_UP
from lean_trim.core.transients.errors import GRID
from lean_trim.core.transients.events import Kind
from lean_trim.features.transients.desk.class_panels import ClassPanels, _range_of, _Scale, _words
from lean_trim.features.transients.desk.desk import EMPTY, TransientsDesk
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.round_rail import round_lines

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def desk(driven: MainWindow, until: Until) -> TransientsDesk:
    driven.desks.show_desk("transients")
    made = driven.desks.desk("transients")
    assert isinstance(made, TransientsDesk)
    until(lambda: bool(made.panels.panels) and not driven.session.is_busy)
    return made


def on_a_trace(panels: ClassPanels, place: int, number: int) -> QPoint:
    """A point of the widget on the trace of one change, half a second after its edge."""
    panel = panels.panels[place]
    scale = _Scale(panels.area(place), _range_of(panel))
    error = float(np.interp(0.5, GRID, panel.one.events[number].error_pct))
    return QPoint(round(scale.x(0.5)), round(scale.y(error)))


def test_a_change_is_shown_on_the_tape_and_explains_itself(
    driven: MainWindow, desk: TransientsDesk
) -> None:
    point = on_a_trace(desk.panels, 1, 0)
    event = desk.panels.event_at(point)
    assert event is not None and "A click shows it on the tape" in desk.panels.hint_at(point)
    QTest.mouseClick(desk.panels, Qt.MouseButton.LeftButton, pos=point)
    span = driven.session.selection.span
    assert span is not None and span[0] < event.edge_s < span[1]
    beside = QPoint(round(desk.panels.area(1).right()) - 60, round(desk.panels.area(1).top()) + 10)
    assert "Thin: single changes; thick: their mean" in desk.panels.hint_at(beside)


@pytest.mark.minutes(12.0)
def test_proposals_film_warm_up_and_idle_are_told(desk: TransientsDesk) -> None:
    report = desk.transients.report
    assert report is not None
    assert desk.proposals.rowCount() == len(report.changes) > 5
    first = report.changes[0]
    assert desk.proposals.item(0, 3).text() == f"{first.proposed.percent:+.1f}".replace(
        "-", "−"
    ) or (desk.proposals.item(0, 3).text() == f"{first.proposed.percent:+.1f}")
    assert "Wall film:" in desk.film.text() and "quick changes" in desk.film.text()
    assert "°C" in desk.warm_up.text() and desk.idle.text().startswith("Idle,")
    assert "destroys engines" in desk.caution.text()


def test_panels_are_painted_in_both_themes_and_fit_the_least_window(
    driven: MainWindow, desk: TransientsDesk
) -> None:
    for night in (False, True):
        driven.actions_["night"].setChecked(night)
        driven.resize(1100, 640)
        image = desk.panels.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        width = image.width()
        height = image.height()
        pixels = (
            np.frombuffer(image.constBits(), np.uint32).reshape(height, -1)[:, :width] & 0xFFFFFF
        )
        accent = int(desk.panels.appearance.theme.accent.lstrip("#"), 16)
        assert (pixels == accent).sum() > 20
    assert desk.width() <= 1100
    driven.actions_["night"].setChecked(False)


def test_another_job_has_nothing_of_the_old_one(driven: MainWindow, desk: TransientsDesk) -> None:
    assert desk.transients.found
    driven.actions_["close_job"].trigger()
    assert desk.transients.found == {}
    assert desk.panels.panels == () and desk.panels.nothing == EMPTY


def paste(desk: TransientsDesk, name: str, text: str) -> None:
    """Bring a table in the way a user does: chosen above, pasted, taken."""
    desk.tables.show_table(name)
    QGuiApplication.clipboard().setText(text)
    sheet = desk.tables.cards[name].sheet
    sheet.ask_clipboard()
    assert sheet.take.isEnabled(), sheet.says.text()
    sheet.take.click()


def test_a_pasted_table_is_asked_about_decided_and_counted_on_the_rail(
    driven: MainWindow, desk: TransientsDesk
) -> None:
    desk.by_table.click()
    assert desk.tables.isVisible() and not desk.proposals.isVisible()
    assert "not pasted yet" in desk.tables.choice.currentText()
    assert "Paste the table that is in the ECU" in desk.tables.rests_on.text()
    paste(
        desk, WARM_UP, "°F\tfactor\n-4\t1.40\n32\t1.28\n68\t1.18\n104\t1.11\n140\t1.04\n176\t1.00\n"
    )
    assert desk.tables.choice.currentText() == "Warm-up · needs a change"
    assert "stays unburnt" in desk.tables.rests_on.text() and desk.warm_up.isVisible()
    card = desk.tables.cards[WARM_UP]
    assert float(card.grid.texts(0)[0]) == 1.4 and card.grid.point_text(0).endswith("°F")
    card.accept.click()
    assert desk.tables.choice.currentText() == "Warm-up · decided"
    assert float(card.grid.texts(3)[2]) < 1.06 and "to write" in card.grid.describe(3)
    job = driven.session.job
    assert job is not None and round_lines(job, 0)[2] == "corrections decided"
    driven.session.navigation.undo()
    assert desk.tables.choice.currentText() == "Warm-up · needs a change"
    desk.by_class.click()
    assert desk.proposals.isVisible() and not desk.tables.isVisible()


def test_a_wrong_paste_says_what_is_wrong_and_takes_nothing(
    driven: MainWindow, desk: TransientsDesk
) -> None:
    desk.by_table.click()
    desk.tables.show_table(ENRICHMENT)
    sheet = desk.tables.cards[ENRICHMENT].sheet
    for text, words in (
        ("nothing of the kind", "pasted"),
        ("kPa/s,%\n0,0\n100,900\n", "Is the unit right?"),
        ("kPa/s,%\n100,4\n0,0\n200,9\n", "rising"),
    ):
        QGuiApplication.clipboard().setText(text)
        sheet.ask_clipboard()
        assert not sheet.take.isEnabled() and (words in sheet.says.text() or words == "pasted")
    sheet.cancel.click()
    assert desk.tables.tables.base(ENRICHMENT) is None


def leanest(desk: TransientsDesk) -> float:
    report = desk.transients.report
    assert report is not None
    soon = (GRID >= 0.0) & (GRID <= 1.5)
    lean = (Kind.TIP_IN, Kind.STAB, Kind.AFTER_CUT)
    return float(
        max(np.nanmax(c.of.mean_pct[soon]) for c in report.changes if c.of.key.kind in lean)
    )


def test_a_round_through_the_window_takes_the_lean_peak_away(
    window: MainWindow, until: Until
) -> None:
    """The demo enriches by half of what is needed: looked at, accepted, driven again."""
    window.opening.open_demo()
    session = window.session
    until(lambda: session.solution is not None and not session.is_busy, 120.0)
    window.desks.show_desk("transients")
    desk = window.desks.desk("transients")
    assert isinstance(desk, TransientsDesk)
    until(lambda: bool(desk.panels.panels) and not session.is_busy)
    before = leanest(desk)
    desk.by_table.click()
    for name in desk.tables.tables.names:
        desk.tables.show_table(name)
        desk.tables.cards[name].accept.click()
    session.rounds.drive()
    until(
        lambda: session.job is not None and len(session.job.rounds) == 2 and not session.is_busy,
        120.0,
    )
    until(lambda: desk.transients.report is not None and not session.is_busy)
    assert before > 7.0 and leanest(desk) < 3.0
    # What was before is laid under.
    assert any(panel.earlier for panel in desk.panels.panels)
    assert "dotted: round 1" in "".join(_words(panel) for panel in desk.panels.panels)

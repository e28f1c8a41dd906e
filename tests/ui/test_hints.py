"""Every mark explains itself where it stands."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF
from PySide6.QtGui import QHelpEvent, QImage
from PySide6.QtWidgets import QApplication, QLabel, QToolTip, QWidget

from lean_trim.core.decision.proposal import POLICY_KNOBS
from lean_trim.core.estimation.averages import AVERAGE_KNOBS
from lean_trim.core.estimation.surface import SURFACE_KNOBS
from lean_trim.core.sieve.sieve import RULES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.legend import entries_for
from lean_trim.features.table.pages.evidence_words import time_spent
from lean_trim.ui.tape.tape_paint import LEFT
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.tooltips import LINE_CHARACTERS, folded
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import PAGES
from tests.deciding import accept_knowingly, type_knowingly
from tests.ui.conftest import center, fit_page, write_page

Until = Callable[..., None]
pytestmark = pytest.mark.slow


def help_at(widget: QWidget, point: QPoint) -> str:
    """The tooltip the program shows at a point."""
    QToolTip.hideText()
    event = QHelpEvent(QEvent.Type.ToolTip, point, widget.mapToGlobal(point))
    QApplication.sendEvent(widget, event)
    return QToolTip.text()


def test_a_tile_explains_bar_line_ink_and_rule(driven: MainWindow) -> None:
    table = table_desk(driven).table
    proposal = driven.session.proposal
    view = table.view
    assert view is not None and proposal is not None
    cell = int(np.argmax(np.where(view.is_seen, np.nan_to_num(view.bar_pct), 0.0)))
    text = help_at(table, center(driven, cell))
    for part in ("Bar: proposed +", "more fuel", f"a full bar is {view.scale_pct:g} %"):
        assert part in text
    for part in ("one standard error", "s of used driving", "hanged by"):
        assert part in text
    unseen = int(np.flatnonzero(~view.is_seen)[0])
    assert "Hatched: no used driving" in help_at(table, center(driven, unseen))
    accept_knowingly(driven.session.deciding, frozenset({cell}))
    assert "Decided: accepted (filled corner)" in help_at(table, center(driven, cell))
    driven.session.deciding.pin(frozenset({cell}))
    assert "Padlock: pinned" in help_at(table, center(driven, cell))
    type_knowingly(driven.session.deciding, "+3%", frozenset({unseen}))
    assert "set by hand (hollow diamond)" in help_at(table, center(driven, unseen))


def test_the_bars_along_both_axes_say_what_they_count(driven: MainWindow) -> None:
    table = table_desk(driven).table
    column = QPoint(int(table.tile_rect(6).center().x()), 20)
    row = QPoint(30, int(table.tile_rect(16 * 4).center().y()))
    assert "2800 rpm:" in help_at(table, column) and "used driving in this column" in help_at(
        table, column
    )
    assert "56 kPa:" in help_at(table, row) and "longest stands for" in help_at(table, row)


def test_the_legend_has_what_is_on_the_tiles_and_each_mark_says_more(driven: MainWindow) -> None:
    legend = table_desk(driven).legend
    table = table_desk(driven).table
    assert table.view is not None
    kinds = [e.kind for e in entries_for(table.view)]
    assert "accepted" not in kinds and "pin" not in kinds
    legend.grab()
    for area, tip in legend.areas:
        assert help_at(legend, area.center().toPoint()) == folded(tip) and len(tip) > 20
    assert any("same in every round of this job" in tip for _, tip in legend.areas)
    accept_knowingly(driven.session.deciding)
    kinds = [e.kind for e in entries_for(table.view)]
    assert "accepted" in kinds


def test_the_scale_of_the_bars_stays_within_a_job(driven: MainWindow, until: Until) -> None:
    session = driven.session
    table = table_desk(driven).table
    assert table.view is not None
    first = table.view.scale_pct
    accept_knowingly(session.deciding)
    assert table.view.scale_pct == first
    session.rounds.begin_round()
    QApplication.processEvents()
    assert table.view.scale_pct == first
    session.show_round(0)
    until(lambda: session.solution is not None and not session.is_busy)
    session.tuning.turn("sieve", "tip.after_s", 2.5)
    until(lambda: session.tuning.is_resting and not session.is_busy)
    assert table.view.scale_pct == first


def test_every_part_of_the_tape_explains_itself(driven: MainWindow, until: Until) -> None:
    tape = driven.tape
    session = driven.session
    driven.resize(1280, 900)
    QApplication.processEvents()
    regime = tape.height() - 25
    axis = tape.height() - 4
    assert "Warm-up: coolant is below" in help_at(tape, QPoint(LEFT + 20, regime))
    assert "minutes and seconds" in help_at(tape, QPoint(LEFT + 20, axis))
    assert "What the engine did" in help_at(tape, QPoint(20, regime))
    mixture = help_at(tape, QPoint(20, 10))
    assert (
        "Lambda (“λ”), λ" in mixture and "Target lambda (“target”)" in mixture and "λ 1" in mixture
    )
    assert "Cold engine: warm-up enrichment is on" in help_at(
        tape, tape.point(30.0, 20.0).toPoint()
    )
    session.deciding.leave_out(250.0, 265.0)
    until(lambda: session.solution is not None and not session.is_busy)
    assert "Left out by hand; Ctrl+D" in help_at(tape, tape.point(257.0, 20.0).toPoint())
    session.marks.mark(300.0, "hill")
    assert help_at(tape, tape.point(300.0, 20.0).toPoint()).startswith(
        "Bookmark at 5:00.0 min: hill"
    )


def test_what_is_left_out_by_hand_is_hatched_otherwise(driven: MainWindow, until: Until) -> None:
    tape = driven.tape
    session = driven.session
    data = tape.data
    assert data is not None and data.bits is not None
    tape.look_at(195.0, 235.0)
    before = strip(driven)
    session.deciding.leave_out(200.0, 230.0)
    until(lambda: session.solution is not None and not session.is_busy)
    by_hand = strip(driven)
    session.navigation.undo()
    until(lambda: session.solution is not None and not session.is_busy)
    session.tuning.turn("sieve", "settling.minutes", 4.0)
    until(lambda: session.sifted is not None and session.tuning.is_resting and not session.is_busy)
    by_rule = strip(driven)
    assert before != by_hand and by_hand != by_rule and before != by_rule


def strip(window: MainWindow) -> QImage:
    """A piece of the tape between two seconds, without the window's edges."""
    QApplication.processEvents()
    left = int(window.tape.x_of(202.0))
    right = int(window.tape.x_of(228.0))
    return window.tape.grab().toImage().copy(left, 0, right - left, 60)


def test_the_legend_of_the_tape_names_its_hatchings(driven: MainWindow) -> None:
    legend = driven.tape_bar.legend
    legend.grab()
    assert [help_at(legend, a.center().toPoint())[:8] for a, _ in legend.areas] == [
        "Hatched:",
        "Crossed ",
        "Shaded: ",
    ]


def test_every_knob_and_rule_says_what_it_does(driven: MainWindow) -> None:
    for knob in (*POLICY_KNOBS, *SURFACE_KNOBS, *AVERAGE_KNOBS):
        assert len(knob.tip) > 30, knob.name
    assert all(len(rule.why) > 20 for rule in RULES)
    boost = write_page(driven).table.cells["gain_boost"].toolTip().replace("\n", " ")
    assert "full throttle in boost is written by this share alone" in boost
    assert "usual scatter (σ)" in fit_page(driven).surface["huber"].slider.toolTip()


def test_the_figures_in_the_header_are_told_apart(driven: MainWindow) -> None:
    facts = table_desk(driven).header.facts
    assert driven.session.solution is not None
    within = f"{driven.session.solution.residual.within_3:.0f}"
    assert [f.text().split()[0] for f in facts[:3]] == ["Off", within, "fuel"]
    assert all(len(f.toolTip()) > 40 for f in facts)
    assert "trim" in facts[0].toolTip() and "itself corrected" in facts[2].toolTip()


def test_a_rule_that_is_switched_off_takes_no_time(driven: MainWindow, until: Until) -> None:
    session = driven.session
    assert session.sifted is not None
    before = dict(time_spent(session.sifted))
    assert before["Cold engine"] > 50.0
    session.tuning.switch("cold", False)
    until(lambda: session.tuning.is_resting and not session.is_busy)
    assert "Cold engine" not in dict(time_spent(session.sifted))


WORDS = (
    "School",
    "loses influence",
    "middling",
    "apart by",
    "against all",
    "merely",
    "Plays",
    "lean hole",
    "line of the neighbours",
    "residual",
)
"""Words nobody in the trade would use, or that stood for something else elsewhere."""


def test_words_that_puzzled_are_gone(driven: MainWindow) -> None:
    for name in ("evidence", "findings", "sieve", "fit", "logs", "write"):
        driven.margin.show_page(name)
    texts = [w.text() for w in driven.findChildren(QLabel)]
    texts += [w.toolTip() for w in driven.findChildren(QWidget)]
    for word in WORDS:
        assert not [t for t in texts if word.lower() in t.lower()], word


def test_pointing_at_nothing_shows_nothing(driven: MainWindow) -> None:
    assert table_desk(driven).table.hint_at(QPoint(2, 2)) == ""
    legend = table_desk(driven).legend
    assert legend.hint_at(QPointF(legend.width() - 1, 1).toPoint()) == ""


def test_long_tooltips_are_folded(driven: MainWindow) -> None:
    """One line across the whole screen cannot be read."""
    long = "A sentence that goes on and on. " * 8
    assert max(map(len, plain_tip(f"{long}\nSecond line.").split("\n"))) <= LINE_CHARACTERS
    for page in PAGES:
        driven.margin.show_page(page)
    QApplication.processEvents()
    tips = [w.toolTip() for w in driven.findChildren(QWidget) if w.toolTip()]
    assert len(tips) > 100
    # A path is one word and stays one.
    lines = [line for tip in tips for line in tip.split("\n") if " " in line and "<" not in tip]
    assert [line for line in lines if len(line) > LINE_CHARACTERS] == []


def test_what_runs_is_told_whole_or_cut_with_dots(window: MainWindow) -> None:
    window.show()
    for title in ("Reading the sensor delay from the log", "Opening a very long name " * 5):
        window.status._busy(title, 0.6)
        bar = window.status.progress
        shown = bar.format().replace("%p", "60")
        assert bar.fontMetrics().horizontalAdvance(shown) <= bar.width() - 8
        assert shown.startswith(title) or "…" in shown
    window.status._busy("Reading the sensor delay from the log", 0.6)
    assert window.status.progress.format().startswith("Reading the sensor delay from the log ")

"""Lanes, events and bookmarks of the tape."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.explore.events import EventKind
from lean_trim.ui.tape.lanes import SETS, LaneSpec, lanes_from_text, lanes_to_text, toggled
from lean_trim.ui.tape.trace_image import hatch_image
from lean_trim.ui.window.main_window import MainWindow

Until = Callable[..., None]


def shown(window: MainWindow) -> list[str]:
    assert window.tape.data is not None
    return [t.series.key for lane in window.tape.data.lanes for t in lane.traces]


def test_each_purpose_has_its_lanes(driven: MainWindow) -> None:
    seen = {}
    for i, name in enumerate(SETS):
        driven.tape_bar.sets.button(i).click()
        seen[name] = shown(driven)
    assert seen["Mixture"][:2] == ["lambda_measured", "lambda_target"]
    assert "k_pct" in seen["Trims"]
    assert {"table_value", "asked_value"} <= set(seen["Air"])
    assert {"pulse_width_ms", "fuel_dp_kpa", "battery_v"} <= set(seen["Injectors"])


def test_a_set_can_be_changed_and_the_job_remembers(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    driven.tape_bar.fill_menu()
    ticks = {a.text(): a for a in driven.tape_bar.menu.actions()}
    assert ticks["Lambda, λ"].isChecked()
    ticks["Boost, kPa"].trigger()
    ticks["Engine speed, rpm"].trigger()
    assert "boost_kpa" in shown(driven)
    assert "rpm" not in shown(driven)
    driven.session.close_job()
    driven.opening.open_job(job_path)
    until(lambda: driven.session.solution is not None and not driven.session.is_busy)
    assert "boost_kpa" in shown(driven)
    driven.tape.lane_sets.as_they_come()
    assert "rpm" in shown(driven)


def test_lane_texts_survive_and_nonsense_falls_back() -> None:
    lanes = (LaneSpec("A", ("rpm", "map_kpa")), LaneSpec("B", ("boost_kpa",)))
    assert lanes_from_text(lanes_to_text(lanes), "Air") == lanes
    for text in ("", "{", "[[]]", '[["x", "no such"]]', "3"):
        assert lanes_from_text(text, "Air") == SETS["Air"]
    assert toggled(lanes, "rpm")[0].keys == ("map_kpa",)
    assert toggled(lanes, "boost_kpa") == lanes[:1]


def test_events_are_walked_through_by_key(driven: MainWindow) -> None:
    driven.tape_bar.kind.setCurrentText(EventKind.PULL)
    starts = []
    for _ in range(2):
        driven.actions_["next_event"].trigger()
        starts.append(driven.tape.spot_s)
        assert driven.tape.start_s <= driven.tape.spot_s <= driven.tape.end_s  # type: ignore[operator]
    assert starts == sorted(set(starts))
    driven.actions_["previous_event"].trigger()
    assert driven.tape.spot_s == starts[0]
    assert "full throttle" in driven.status.hover.text()
    for _ in range(6):
        driven.actions_["next_event"].trigger()
    assert "No later event" in driven.status.hover.text()


def test_bookmarks_carry_notes_can_be_undone_and_are_kept(
    driven: MainWindow, job_path: Path
) -> None:
    driven.session.selection.set_span(100.0, 120.0, frozenset())
    driven.tape_bar.note.setText("odd noise")
    QTest.keyClick(driven.tape_bar.note, Qt.Key.Key_Return)
    assert [(m.time_s, m.text) for m in driven.session.round.marks] == [(100.0, "odd noise")]  # type: ignore[union-attr]
    driven.actions_["undo"].trigger()
    assert driven.session.round.marks == ()  # type: ignore[union-attr]
    driven.actions_["redo"].trigger()
    with sqlite3.connect(job_path) as db:
        assert db.execute("SELECT time_s, text FROM marks").fetchall() == [(100.0, "odd noise")]
    driven.tape.spot_s = 90.0
    driven.tape_bar.kind.setCurrentText(EventKind.MARK)
    driven.tape_bar.go(True)
    assert driven.tape.spot_s == 100.0
    driven.actions_["mark"].trigger()
    assert driven.session.round.marks == ()  # type: ignore[union-attr]


def test_joints_between_logs_are_shown(driven: MainWindow, until: Until) -> None:
    session = driven.session
    from lean_trim.job.blobs import store_log
    from lean_trim.workspace.additions import AddLogs

    first = session.round
    assert first is not None
    AddLogs(session.open, session.navigation, first.id, (store_log(first.logs[0]),)).apply()
    until(lambda: session.solution is not None and not session.is_busy)
    assert driven.tape.data is not None
    assert driven.tape.data.joints == (
        (pytest.approx(session.round.logs[0].time_s[-1] + 10.0), "simulated drive 1"),
    )  # type: ignore[union-attr]
    driven.tape.look_at(700.0, 760.0)
    QApplication.processEvents()
    assert not driven.grab().isNull()


def test_hatching_covers_exactly_the_marked_columns() -> None:
    mask = np.array([True, True, False, False, True])
    image = hatch_image(mask, 20, QColor(255, 255, 255, 100), QColor(0, 0, 0, 200))
    alpha = np.array([[image.pixelColor(x, y).alpha() for x in range(5)] for y in range(20)])
    assert (alpha[:, mask] > 0).all()
    assert (alpha[:, ~mask] == 0).all()
    assert {100, 200} == set(alpha[:, mask].ravel().tolist())

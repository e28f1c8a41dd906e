"""Stretches and bookmarks go with the log they were made on, whatever becomes of the logs around it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.joining import JOINT_GAP_S, join_logs, joined_starts
from lean_trim.core.data.log import Log
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.job.records import LogInfo, Mark, Round, Span, Verdict
from lean_trim.job.round_logs import (
    find_log,
    logs_apart,
    marks_with,
    with_log_counting,
    with_log_replaced,
    with_log_resting,
    without_log,
)
from lean_trim.job.store import JobStore
from tests.builders import small_vehicle

ADDED = "2026-01-01T00:00:00+00:00"


def some_log(name: str, first_s: float, seconds: float) -> Log:
    time = first_s + np.arange(0.0, seconds + 0.5, 1.0)
    return Log(time, {Role.RPM: np.full(len(time), 1000.0)}, name)


@pytest.fixture
def store(tmp_path: Path) -> JobStore:
    made = JobStore.create(tmp_path / "job.leantrim", small_vehicle())
    first = made.load().rounds[0]
    logs = [some_log("a", 5.0, 100.0), some_log("b", 0.0, 50.0), some_log("c", 7.0, 30.0)]
    made.add_logs(first.id, [store_log(log) for log in logs])
    return made


@pytest.fixture
def three(store: JobStore) -> Round:
    """Logs at 5–105, 115–165 and 175–205 s of the joined time base, a stretch and a bookmark on each."""
    r = store.load().rounds[0]
    spans = (Span(10.0, 20.0), Span(120.0, 130.0), Span(180.0, 185.0))
    marks = (Mark(50.0, "in a"), Mark(140.0, "in b"), Mark(200.0, "in c"))
    return replace(r, left_out=spans, marks=marks, verdicts={"ve": Verdict(5.0, 4.0, 50.0)})


def test_the_joined_time_base_is_that_of_the_joined_log() -> None:
    logs = [some_log("a", 5.0, 100.0), some_log("b", 0.0, 50.0)]
    joined = join_logs(logs)
    starts = joined_starts(logs)
    assert starts == (5.0, 105.0 + JOINT_GAP_S)
    assert joined.time_s[0] == starts[0]
    assert joined.joints_s == (starts[1],)


def test_a_removed_log_takes_its_marks_along_and_later_ones_move_up(three: Round) -> None:
    middle = three.log_infos[1].id
    after = without_log(three, middle)
    assert [i.name for i in after.log_infos] == ["a", "c"]
    # c now begins at 115 s instead of 175 s.
    assert after.left_out == (Span(10.0, 20.0), Span(120.0, 125.0))
    assert after.marks == (Mark(50.0, "in a"), Mark(140.0, "in c"))
    assert after.verdict is None
    first_gone = without_log(three, three.log_infos[0].id)
    assert first_gone.left_out == (Span(5.0, 15.0), Span(65.0, 70.0))


def test_a_log_that_rests_and_counts_again_keeps_what_was_marked_on_it(three: Round) -> None:
    middle = three.log_infos[1].id
    rested = with_log_resting(three, middle)
    assert [x.info.name for x in rested.resting] == ["b"]
    assert rested.resting[0].left_out == (Span(5.0, 15.0),)
    assert rested.resting[0].marks == (Mark(25.0, "in b"),)
    back = with_log_counting(rested, rested.resting[0])
    assert back.resting == ()
    assert [i.name for i in back.log_infos] == ["a", "c", "b"]
    # a ends at 105, c lies at 115–145, b at 155–205.
    assert back.left_out == (Span(10.0, 20.0), Span(120.0, 125.0), Span(160.0, 170.0))
    assert back.marks[-1] == Mark(180.0, "in b")


def test_a_stretch_over_a_joint_is_cut_there(three: Round) -> None:
    across = replace(three, left_out=(Span(90.0, 150.0),))
    parts = [x.left_out for x in logs_apart(across)]
    assert parts == [(Span(90.0, 105.0),), (Span(0.0, 35.0),), ()]


def test_a_replaced_log_loses_its_marks_and_the_others_keep_theirs(three: Round) -> None:
    new = some_log("b2", 0.0, 80.0)
    after = with_log_replaced(
        three, three.log_infos[1].id, LogInfo(9, "b2", "", ADDED), store_log(new)
    )
    assert [i.name for i in after.log_infos] == ["a", "b2", "c"]
    assert after.left_out == (Span(10.0, 20.0), Span(210.0, 215.0))
    assert after.marks == (Mark(50.0, "in a"), Mark(230.0, "in c"))


def test_the_file_brings_resting_logs_back_and_forgets_removed_ones(
    three: Round, store: JobStore
) -> None:
    rested = with_log_resting(three, three.log_infos[1].id)
    gone = without_log(rested, three.log_infos[2].id)
    store.save_round_logs([gone])
    back = store.load().rounds[0]
    assert [i.name for i in back.log_infos] == ["a"]
    assert back.resting[0].left_out == (Span(5.0, 15.0),)
    assert back.resting[0].marks == (Mark(25.0, "in b"),)
    assert back.left_out == (Span(10.0, 20.0),) and back.verdict is None
    # Undo reaches the removed log until the file is closed.
    (undone,) = store.save_round_logs([three])
    assert undone.log_infos == three.log_infos and undone.verdict == three.verdict
    store.save_round_logs([gone])
    store.close()
    again = JobStore(store.path)
    assert again.db.execute("SELECT name FROM logs ORDER BY id").fetchall() == [("a",), ("b",)]
    again.close()


def test_a_log_whose_id_was_given_away_comes_back_under_a_new_one(
    three: Round, store: JobStore
) -> None:
    gone = without_log(three, three.log_infos[2].id)
    store.save_round_logs([gone])
    store.close()
    again = JobStore(store.path)
    other = again.keep_log(store_log(some_log("other", 0.0, 20.0), "sha"))
    assert other.id == three.log_infos[2].id
    (back,) = again.save_round_logs([three])
    again.close()
    assert [i.name for i in back.log_infos] == ["a", "b", "c"]
    assert back.log_infos[2].id != other.id
    read = load_job(store.path).rounds[0]
    np.testing.assert_array_equal(read.logs[2].time_s, three.logs[2].time_s)
    assert find_log(read, back.log_infos[2].id) is not None


def test_bookmarks_a_log_brings_lie_where_it_begins(short_log: Log) -> None:
    """A bookmark 10 s into the second log lies 10 s after the joint."""
    stored = store_log(short_log, bookmarks=[(10.0, "Danger: lean"), (1e9, "late")])
    assert [m.text for m in stored.marks] == ["Danger: lean", "late"]
    assert stored.marks[1].time_s == pytest.approx(float(short_log.time_s[-1]), abs=1e-3)
    marks = marks_with(None, [store_log(short_log), stored])
    start = joined_starts([short_log, short_log])[1]
    assert marks[0].time_s - start == pytest.approx(10.0 - float(short_log.time_s[0]), abs=1e-3)

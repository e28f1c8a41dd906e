"""The trail of decisions: kept step by step, led back, undone and done again, also of a job opened anew."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.confirmation import Danger, Warned
from lean_trim.core.decision.decision import Decision, undecided
from lean_trim.core.decision.typed import type_in
from lean_trim.core.errors import BadInputError
from lean_trim.job.loading import load_job
from lean_trim.job.step_rows import read_steps
from lean_trim.job.store import JobStore
from lean_trim.job.trail import (
    Step,
    Way,
    confirmed_cells,
    standing,
    step_between,
    taken_back,
    way_here,
    way_of,
)
from tests.core.decision.test_proposal import LIMITS, TABLE

WHEN = "2026-05-04T10:00:00+02:00"


def chain(*texts: str) -> list[Decision]:
    """What is decided before and after each of some typed operations on three cells."""
    states = [undecided(TABLE)]
    for place, text in enumerate(texts):
        states.append(type_in(states[-1], text, {place, place + 1}, LIMITS))
    return states


def step(before: Decision, after: Decision, text: str = "a", way: Way = Way.DONE) -> Step:
    return step_between(before, after, made=WHEN, table_name="ve", text=text, way=way)


def same(one: Decision, other: Decision) -> bool:
    return all(
        np.array_equal(getattr(one, name), getattr(other, name))
        for name in ("values", "origin", "pinned")
    )


def test_a_step_holds_only_what_changed_and_leads_back_bit_for_bit() -> None:
    first, second = chain("x1.0371")
    made = step(first, second)
    assert made.places.tolist() == [0, 1]
    back = taken_back(second, made)
    assert back is not None and same(back, first)
    # It does not lead to a state it did not lead to.
    assert taken_back(first, made) is None


def test_the_way_here_ends_where_something_else_changed_the_table() -> None:
    a, b, c = chain("+3%", "+2%")
    steps = [step(a, b, "first"), step(b, c, "second")]
    assert [s.step.text for s in way_here(steps, "ve", c)] == ["first", "second"]
    pasted = type_in(b, "=90", {1}, LIMITS)
    later = step(pasted, type_in(pasted, "+1%", {4}, LIMITS), "third")
    now = type_in(pasted, "+1%", {4}, LIMITS)
    assert [s.step.text for s in way_here([*steps[:1], later], "ve", now)] == ["third"]
    assert way_here(steps, "target_lambda", c) == []


def test_undone_steps_stand_no_more_and_redone_ones_do() -> None:
    a, b, c = chain("+3%", "+2%")
    one, two = step(a, b, "one"), step(b, c, "two")
    undone = replace(two, way=Way.UNDONE)
    assert [s.text for s in standing([one, two, undone], "ve")] == ["one"]
    assert way_of([one, two, undone], two) is Way.REDONE
    redone = replace(two, way=Way.REDONE)
    assert [s.text for s in standing([one, two, undone, redone], "ve")] == ["one", "two"]
    assert way_of([one, two, undone, redone], two) is Way.DONE
    # Another change after an undo: what was undone cannot come back.
    other = step(b, type_in(b, "+9%", {8}, LIMITS), "other")
    assert [s.text for s in standing([one, two, undone, other], "ve")] == ["one", "other"]
    assert way_of([one, two, undone, other], two) is Way.DONE


def test_the_file_gives_back_the_steps_and_what_was_confirmed(
    tmp_path: Path, heron_vehicle: Vehicle
) -> None:
    path = tmp_path / "job.leantrim"
    store = JobStore.create(path, heron_vehicle)
    current = store.load().rounds[0]
    before = current.decided
    after = type_in(before, "x0.9", {3, 4}, heron_vehicle.limits)
    warned = (Warned(danger=Danger.BOOST, cells=frozenset({3}), worst_pct=9.87654321),)
    made = step_between(before, after, WHEN, current.subject, "Set x0.9 on 2 cells", warned=warned)
    store.save_decision(current.id, current.subject, after, made)
    store.close()
    job = load_job(path)
    (kept,) = job.rounds[0].steps
    assert (kept.text, kept.way, kept.made) == (made.text, Way.DONE, WHEN)
    assert kept.warned[0].worst_pct == warned[0].worst_pct
    assert confirmed_cells([kept], current.subject) == {Danger.BOOST: frozenset({3})}
    back = taken_back(job.rounds[0].decided, kept)
    assert back is not None and same(back, before)


@pytest.mark.parametrize(
    "spoil",
    [
        {"places": [-1]},
        {"places": [0, 1]},
        {"after": {"values": [-3.0], "origin": [2], "pinned": [False]}},
        {"after": {"values": [80.0], "origin": [9], "pinned": [False]}},
        {"confirmed": [{"danger": "nonsense", "cells": [0], "worst_pct": 1.0}]},
        {"before": 5},
    ],
)
def test_a_damaged_step_is_refused(spoil: dict[str, object]) -> None:
    db = sqlite3.connect(":memory:")
    db.execute(
        "CREATE TABLE steps (id INTEGER PRIMARY KEY, round_id, made, table_name, text, way, cells)"
    )
    state = {"values": [80.0], "origin": [2], "pinned": [False]}
    sound = {"places": [0], "before": state, "after": state, "confirmed": []}
    for cells, fits in ((sound, True), (sound | spoil, False)):
        db.execute("DELETE FROM steps")
        db.execute(
            "INSERT INTO steps (round_id, made, table_name, text, way, cells) VALUES (1, ?, ?, ?, ?, ?)",
            (WHEN, "ve", "a", "done", json.dumps(cells)),
        )
        if fits:
            assert len(read_steps(db, 1)) == 1
        else:
            with pytest.raises(BadInputError):
                read_steps(db, 1)

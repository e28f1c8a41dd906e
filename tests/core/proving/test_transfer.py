"""Which table is in the ECU, from places that are made up, so that what is right is known exactly."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import multivariate_normal

from lean_trim.core.data.tables import Table, ve_table
from lean_trim.core.proving.places import Steady
from lean_trim.core.proving.transfer import (
    LEAST_STEP_PCT,
    Shown,
    Transfer,
    Written,
    _distance,
    candidates,
    shares_taken,
    shown_by_lambda,
    shown_by_width,
    tell,
)

RPM = np.array([800.0, 1600.0, 2400.0, 3200.0, 4000.0, 4800.0])
MAP = np.array([30.0, 45.0, 60.0, 75.0, 90.0])
BEFORE = ve_table(RPM, MAP, np.full((5, 6), 80.0))
PLACES = 150
STEP = 0.06 * np.sin(np.linspace(0.0, 5.0, 30)).reshape(5, 6) + 0.03
TRUE = BEFORE.with_values(80.0 * np.exp(STEP + 0.002))


def written(step: np.ndarray = STEP) -> Written:
    return Written(
        before=BEFORE,
        after=BEFORE.with_values(80.0 * np.exp(step)),
        asked_pct=100.0 * np.expm1(STEP + 0.002),
        error_pct=np.full((5, 6), 0.6),
        seconds=np.full((5, 6), 10.0),
    )


def driven(
    table: Table, seed: int = 1, noise: float = 0.003, level: float = 0.0, delta_ms: float = 0.0
) -> Steady:
    """A drive over many places with a table in the ECU whose engine is ``TRUE``."""
    rng = np.random.default_rng(seed)
    at = np.array([rng.uniform(32.0, 88.0, PLACES), rng.uniform(900.0, 4700.0, PLACES)])
    open_ms = 0.05 * at[0]
    reads = np.log(table.lookup(*at))
    # An injector that opens later gives less fuel; the width says another table than there is.
    width = reads + level + delta_ms / open_ms + rng.normal(0.0, noise, PLACES)
    k = np.log(TRUE.lookup(*at)) - reads + rng.normal(0.0, noise, PLACES)
    return Steady(at, width, 1.0 / open_ms, k, rng.uniform(1.0, 5.0, PLACES))


def told(drive: Steady, by: str = "both", others: dict[str, Table] | None = None) -> Transfer:
    if by == "lambda":
        drive = replace(drive, table_by_width=np.full(len(drive), np.nan))
    return tell(written(), others or {}, drive, ["part"] * len(drive), by != "pulse width")


def in_part() -> Table:
    values = BEFORE.values.copy()
    values[2:] = written().after.values[2:]
    return BEFORE.with_values(values)


HALF = BEFORE.with_values(0.5 * (BEFORE.values + written().after.values))
WAVE = np.cos(np.linspace(0.0, 3.0, 5))[:, None] * np.cos(np.linspace(0.0, 3.0, 6))[None, :]
OTHER = BEFORE.with_values(80.0 * np.exp(0.08 * WAVE))


@pytest.mark.parametrize("by", ["pulse width", "lambda"])
@pytest.mark.parametrize(
    ("kind", "table"),
    [
        ("whole", written().after),
        ("none", BEFORE),
        ("half", HALF),
        ("part", in_part()),
        ("other", OTHER),
    ],
)
def test_every_kind_is_told_by_either_way(kind: str, table: Table, by: str) -> None:
    found = told(driven(table), by, {"last year's": OTHER})
    assert (found.kind, found.route) == (kind, by)
    if kind == "part":
        assert found.name in ("from 60 kPa up", "from 45 kPa up")
    if kind == "other":
        assert found.name == "last year's"


@pytest.mark.parametrize("by", ["pulse width", "lambda"])
def test_a_table_nobody_knows_is_not_given_a_name(by: str) -> None:
    assert told(driven(OTHER), by).kind == "unknown"


@pytest.mark.parametrize(
    ("level", "delta"), [(0.04, 0.0), (0.0, 0.08), (0.04, 0.08), (-0.04, -0.08)]
)
@pytest.mark.parametrize("table", [BEFORE, written().after, HALF])
def test_injector_data_that_were_changed_do_not_pass_for_a_table(
    level: float, delta: float, table: Table
) -> None:
    right = {id(BEFORE): "none", id(HALF): "half"}.get(id(table), "whole")
    found = told(driven(table, level=level, delta_ms=delta), "pulse width")
    assert found.kind in (right, "untold")


def test_small_steps_and_little_driving_are_not_told() -> None:
    small = written(STEP * 0.004 / np.sqrt(np.mean(STEP**2)))
    drive = driven(small.after)
    found = tell(small, {}, drive, ["part"] * len(drive), True)
    assert found.kind == "untold" and found.step_pct < LEAST_STEP_PCT
    few = driven(BEFORE)
    few = Steady(
        few.at[:, :3], few.table_by_width[:3], few.per_open_ms[:3], few.k[:3], few.seconds[:3]
    )
    nothing = tell(written(), {}, few, ["part"] * 3, True)
    assert (nothing.kind, nothing.route, nothing.places) == ("untold", "", 0)


def test_without_all_trims_lambda_is_not_asked() -> None:
    drive = driven(BEFORE)
    blind = replace(drive, table_by_width=np.full(len(drive), np.nan))
    assert tell(written(), {}, blind, ["part"] * len(drive), False).route == ""


def test_the_share_of_the_step_is_read_by_region() -> None:
    drive = driven(in_part())
    shown = shown_by_width(drive)
    assert shown is not None
    regions = ["boost" if kpa > 60.0 else "part" for kpa in drive.at[0]]
    shares = shares_taken(written(), shown, regions)
    assert shares["boost"][0] == pytest.approx(1.0, abs=0.25)
    assert shares["part"][0] < shares["boost"][0] - 0.3
    assert all(0.0 < error < 0.3 for _, error in shares.values())


def test_the_distance_is_that_of_the_normal_distribution() -> None:
    """Against SciPy's log density of the same covariance."""
    shown = shown_by_width(driven(BEFORE))
    assert shown is not None
    tables = (BEFORE, written().after)
    reads = [np.log(t.lookup(*shown.at)) for t in tables]
    ours = 0.5 * (_distance(shown, reads[1]) - _distance(shown, reads[0]))
    law = [multivariate_normal(mean=r, cov=shown.whole).logpdf(shown.value) for r in reads]
    assert ours == pytest.approx(law[0] - law[1], rel=1e-6)


def test_what_this_drive_cannot_tell_from_the_whole_is_no_candidate() -> None:
    drive = driven(BEFORE)
    shown = shown_by_width(drive)
    assert shown is not None
    near = {"nearly the same": BEFORE.with_values(written().after.values * 1.0005)}
    names = [c.name for c in candidates(written(), {**near, "far": OTHER}, shown)]
    assert "far" in names and "nearly the same" not in names


def test_places_whose_surface_is_not_known_are_left_out_by_lambda() -> None:
    some = written()
    asked = some.asked_pct.copy()
    asked[:, :3] = np.nan
    shown: Shown | None = shown_by_lambda(driven(BEFORE), replace(some, asked_pct=asked))
    assert shown is not None and (shown.at[1] >= RPM[3] - 1e-6).all()

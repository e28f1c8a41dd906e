"""Scales of time as people state them; one that is not understood is never dropped."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LogError
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.meaning.timebase import seconds_from, settle_time, time_unit
from lean_trim.formats.meaning.units import seconds_per


@pytest.mark.parametrize(
    ("unit", "seconds"),
    [
        ("s", 1.0),
        ("Sek.", 1.0),
        ("1/100 s", 0.01),
        ("s/100", 0.01),
        ("0,1 s", 0.1),
        ("x10 ms", 0.01),
        ("ms x 10", 0.01),
        ("cs", 0.01),
        ("µs", 1e-6),
        ("min.", 60.0),
        ("мин", 60.0),
        ("2 min", 120.0),
    ],
)
def test_a_number_of_a_unit_is_a_unit(unit: str, seconds: float) -> None:
    assert seconds_per(unit) == pytest.approx(seconds)


@pytest.mark.parametrize("unit", ["", "foo", "hh:mm:ss", "1/100", "1/0 s", "s/0", "0 s", "V"])
def test_what_is_no_unit_of_time_is_none(unit: str) -> None:
    assert seconds_per(unit) is None


def test_a_stated_part_of_a_second_holds() -> None:
    hundredths = np.arange(0.0, 60_000.0, 4.0)
    assert seconds_from(hundredths, "1/100 s")[-1] == pytest.approx(599.96)
    assert time_unit(hundredths, "1/100 s").doubt == ""


@pytest.mark.parametrize("unit", ["foo", "1/100", "ticks/s"])
def test_a_scale_that_is_not_understood_is_a_doubt(unit: str) -> None:
    found = time_unit(np.arange(0.0, 60.0, 0.04), unit)
    assert unit in found.doubt


@pytest.mark.parametrize("unit", ["", "time", "hh:mm:ss", "timestamp"])
def test_what_states_no_scale_is_none(unit: str) -> None:
    assert time_unit(np.arange(0.0, 60.0, 0.04), unit).doubt == ""


@pytest.mark.parametrize(("unit", "per_s"), [("1/100 s", 100.0), ("min", 1.0 / 60.0)])
def test_a_log_in_parts_of_a_second_or_minutes_lasts_as_long_as_it_was(
    unit: str, per_s: float, heron_log: Log, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    path = tmp_path / "drive.csv"
    write_log_csv(heron_log, path)
    head, units, *rows = path.read_text(encoding="utf-8").splitlines()
    out = [head, ",".join([unit, *units.split(",")[1:]])]
    for row in rows:
        time, rest = row.split(",", 1)
        out.append(f"{float(time) * per_s:.6f},{rest}")
    path.write_text("\n".join(out), encoding="utf-8")
    mapped = open_log(path, heron_vehicle.stoich_afr, vehicle=heron_vehicle).mapped
    assert not mapped.doubts
    assert mapped.log.duration_s == pytest.approx(heron_log.duration_s, rel=1e-3)


def test_a_counter_that_runs_over_is_read_on() -> None:
    true = np.arange(0.0, 300.0, 0.04)
    base = settle_time(np.round(true * 1000.0) % 65_536 / 1000.0, "drive")
    np.testing.assert_allclose(base.time_s, true, atol=0.002)
    assert base.joints_s == () and "ran over" in " ".join(base.notes)
    # Once, and by what no counter holds, it is another recording.
    half = np.concatenate([true[:3000], true[:4000]])
    assert len(settle_time(half, "drive").joints_s) == 1


def test_rows_sorted_by_something_else_are_sorted_by_time() -> None:
    true = np.arange(0.0, 300.0, 0.04)
    order = np.random.default_rng(1).permutation(len(true))
    base = settle_time(true[order], "drive")
    np.testing.assert_allclose(base.time_s, true)
    np.testing.assert_array_equal(order[base.order], np.arange(len(true)))
    assert "another order" in " ".join(base.notes)


def test_a_time_in_no_order_that_can_be_told_is_refused() -> None:
    wild = np.random.default_rng(3).exponential(50.0, 4000)
    with pytest.raises(LogError, match="in no order of time"):
        settle_time(wild, "drive")

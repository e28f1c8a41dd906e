"""Advice on targets: by load, with what is dangerous said, and never a value that is written."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.decision.targets import Load, advise, bands_of, loads_of
from lean_trim.simcar.heron import heron_target

MAP = np.array([30.0, 60.0, 80.0, 95.0, 140.0, 180.0])
RPM = np.array([1000.0, 3000.0, 6000.0])


def targets(by_row: list[float]) -> Table:
    axes = (Axis("MAP", "kPa", MAP), Axis("engine speed", "rpm", RPM))
    return Table(axes, np.repeat(np.array(by_row)[:, None], 3, axis=1), "λ", "target lambda")


SOUND = [1.0, 1.0, 0.95, 0.88, 0.82, 0.79]


def test_rows_are_told_by_the_barometer() -> None:
    loads = loads_of(targets(SOUND), 100.0)
    assert loads.tolist() == [
        Load.CRUISE,
        Load.CRUISE,
        Load.BETWEEN,
        Load.FULL,
        Load.BOOST,
        Load.BOOST,
    ]
    # On a mountain 80 kPa is full load already.
    assert loads_of(targets(SOUND), 78.0)[2] == Load.FULL


def test_what_people_run_gives_no_caution() -> None:
    table = targets(SOUND)
    advice = advise(table, table.values, 100.0)
    assert not advice.odd.any() and not advice.cautions
    assert [str(s).split(":")[0] for s in advice.said] == [
        "Part load",
        "Full load up to atmospheric",
        "Boost",
    ]


@pytest.mark.parametrize(
    ("row", "value", "sign", "words"),
    [
        (4, 0.88, 1, "lean under boost destroys engines"),
        (3, 0.95, 1, "at load are leaner"),
        (5, 0.65, -1, "washes the bores"),
        (0, 1.06, 1, ""),
        (1, 0.9, -1, ""),
    ],
)
def test_odd_targets_are_marked_and_the_dangerous_ones_cautioned(
    row: int, value: float, sign: int, words: str
) -> None:
    table = targets(SOUND)
    values = table.values.copy()
    values[row, 1] = value
    advice = advise(table, values, 100.0)
    assert advice.odd[row, 1] == sign and np.abs(advice.odd).sum() == 1
    said = " ".join(map(str, advice.cautions))
    assert (words in said) if words else not said
    assert "1 cell" in " ".join(map(str, advice.said))


def test_rows_that_are_no_pressure_are_told_by_their_upper_part() -> None:
    axes = (Axis("throttle", "%", np.array([5.0, 40.0, 80.0])), Axis("engine speed", "rpm", RPM))
    table = Table(axes, np.full((3, 3), 0.98), "λ", "target lambda")
    assert loads_of(table, 100.0).tolist() == [Load.CRUISE, Load.CRUISE, Load.FULL]


def test_bands_go_over_smoothly_from_full_load_to_boost() -> None:
    """The demo's own targets just above atmospheric were once called leaner than people run."""
    pressures = np.arange(90.0, 200.0, 2.0)
    axes = (Axis("MAP", "kPa", pressures), Axis("engine speed", "rpm", RPM))
    table = Table(axes, np.full((len(pressures), 3), 0.85), "λ", "target lambda")
    low, high = bands_of(table, 100.0)
    assert np.abs(np.diff(low)).max() < 0.013 and np.abs(np.diff(high)).max() < 0.013
    assert (low[0], high[0]) == (0.86, 0.90)
    assert (low[-1], high[-1]) == (0.78, 0.83)
    demo = heron_target()
    assert not advise(demo, demo.values, 101.3).cautions

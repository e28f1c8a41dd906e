"""Unit factors against the pint package (NIST SP 811 values)."""

from __future__ import annotations

import numpy as np
import pint
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.formats.meaning.unit_check import settle_unit
from lean_trim.formats.meaning.units import UNITS, tidy_unit

U = pint.get_application_registry()
CASES = [
    (Role.MAP, "psi", "psi", "kPa"),
    (Role.MAP, "inhg", "inHg", "kPa"),
    (Role.MAP, "bar", "bar", "kPa"),
    (Role.MAP, "mbar", "mbar", "kPa"),
    (Role.MAP, "mmhg", "mmHg", "kPa"),
    (Role.MAP, "kg/cm2", "kgf/cm**2", "kPa"),
    (Role.MAF_FLOW, "kg/h", "kg/h", "g/s"),
    (Role.MAF_FLOW, "lb/min", "lb/min", "g/s"),
    (Role.MAF_FLOW, "lb/h", "lb/h", "g/s"),
    (Role.SPEED, "mph", "mile/h", "km/h"),
    (Role.SPEED, "m/s", "m/s", "km/h"),
    (Role.PULSE_WIDTH, "us", "us", "ms"),
]


@pytest.mark.parametrize(("role", "ours", "theirs", "target"), CASES)
def test_factors(role: Role, ours: str, theirs: str, target: str) -> None:
    expected = (14.7 * U(theirs)).to(target).magnitude
    assert float(UNITS[role][ours](np.array(14.7))) == pytest.approx(expected, rel=2e-6)


@pytest.mark.parametrize(("unit", "pint_unit"), [("f", "degF"), ("k", "kelvin"), ("c", "degC")])
def test_temperatures(unit: str, pint_unit: str) -> None:
    expected = U.Quantity(200.0, pint_unit).to("degC").magnitude
    assert float(UNITS[Role.COOLANT][unit](np.array(200.0))) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("unit", "values", "expected"),
    [
        ("λ", [0.9, 1.0], [0.9, 1.0]),
        ("AFR", [12.69, 14.1], [0.9, 1.0]),
        ("", [14.1, 15.51], [1.0, 1.1]),
        ("phi", [1.25, 1.0], [0.8, 1.0]),
    ],
)
def test_lambda_afr_and_equivalence_ratio(
    unit: str, values: list[float], expected: list[float]
) -> None:
    data = np.array(values)
    np.testing.assert_allclose(settle_unit(Role.LAMBDA, unit, data, 14.1).convert(data), expected)


@pytest.mark.parametrize(
    ("text", "plain"),
    [
        ("[°C]", "c"),
        ("(kPa)", "kpa"),
        ("degF", "f"),
        ("g/sec", "g/s"),
        (" %", "%"),
        ("µs", "us"),
        ("km/h", "km/h"),
        ("psig", "psi gauge"),
        ("bar(g)", "bar gauge"),
        ("kPa abs", "kpa"),
        ("°C", "c"),
        ("min⁻¹", "rpm"),
        ("об/мин", "rpm"),
    ],
)
def test_unit_texts(text: str, plain: str) -> None:
    assert tidy_unit(text) == plain


def test_a_closed_loop_flag_that_was_resampled_is_the_nearer_of_off_and_on() -> None:
    """Exactly in the middle it counts as open; a column that is mostly between is no flag."""
    flag = np.repeat([0.0, 1.0, 0.0, 1.0], 40)
    flag[[40, 80, 120]] = 0.5
    flag[41], flag[81], flag[5] = 0.75, 0.25, np.nan
    reading = settle_unit(Role.CLOSED_LOOP, "", flag, 14.7)
    assert not reading.doubt
    taken = reading.convert(flag)
    assert (
        taken[[40, 80, 120]].tolist() == [0.0, 0.0, 0.0] and taken[41] == 1.0 and taken[81] == 0.0
    )
    assert np.isnan(taken[5]) and set(np.unique(taken[np.isfinite(taken)])) == {0.0, 1.0}
    assert settle_unit(Role.CLOSED_LOOP, "", np.linspace(0.0, 1.0, 200), 14.7).doubt

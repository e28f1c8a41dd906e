"""Units with a number in them, against values worked out by hand and by pint (BIPM, SI brochure, 9th ed.)."""

from __future__ import annotations

import numpy as np
import pint
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.formats.meaning.scaled_units import parts_of
from lean_trim.formats.meaning.unit_check import by_word, settle_unit
from lean_trim.formats.meaning.units import is_unit, show_unit

WAVE = np.sin(np.arange(400) / 7.0)


@pytest.mark.parametrize(
    ("role", "unit", "written", "meant"),
    [
        (Role.MAP, "kPa x10", 450.0 + 300.0 * WAVE, 45.0 + 30.0 * WAVE),
        (Role.MAP, "0.1 kPa", 450.0 + 300.0 * WAVE, 45.0 + 30.0 * WAVE),
        (Role.MAP, "bar(g)", -0.5 + 0.3 * WAVE, -50.0 + 30.0 * WAVE),
        (Role.COOLANT, "°C+40", 120.0 + 10.0 * WAVE, 80.0 + 10.0 * WAVE),
        (Role.COOLANT, "°C*10", 800.0 + 100.0 * WAVE, 80.0 + 10.0 * WAVE),
        (Role.COOLANT, "1/10 °C", 800.0 + 100.0 * WAVE, 80.0 + 10.0 * WAVE),
        (Role.RPM, "rpm x1000", 3.0 + 2.0 * WAVE, 3000.0 + 2000.0 * WAVE),
        (Role.RPM, "100/min", 30.0 + 20.0 * WAVE, 3000.0 + 2000.0 * WAVE),
        (Role.RPM, "rpm/100", 30.0 + 20.0 * WAVE, 3000.0 + 2000.0 * WAVE),
        (Role.STFT, "‰", 30.0 * WAVE, 3.0 * WAVE),
        (Role.STFT, "0..2", 1.0 + 0.03 * WAVE, 3.0 * WAVE),
        (Role.THROTTLE, "0-255", 127.5 + 127.5 * WAVE, 50.0 + 50.0 * WAVE),
        (Role.THROTTLE, "0..1", 0.5 + 0.5 * WAVE, 50.0 + 50.0 * WAVE),
        (Role.BATTERY, "0,1 V", 138.0 + WAVE, 13.8 + 0.1 * WAVE),
        (Role.PULSE_WIDTH, "10 us", 400.0 + 200.0 * WAVE, 4.0 + 2.0 * WAVE),
        (Role.LAMBDA, "x1000", 1000.0 + 50.0 * WAVE, 1.0 + 0.05 * WAVE),
        (Role.LAMBDA, "AFR (petrol)", 14.7 + WAVE, 1.0 + WAVE / 14.7),
    ],
)
def test_what_is_written_is_what_is_meant(
    role: Role, unit: str, written: np.ndarray, meant: np.ndarray
) -> None:
    reading = settle_unit(role, unit, written, 14.1)
    assert (reading.doubt == "" and is_unit(unit)) or role in (Role.LAMBDA, Role.STFT)
    np.testing.assert_allclose(reading.convert(written), meant, atol=1e-9)
    # What is shown can be said again, and means the same.
    again = by_word(role, show_unit(reading.unit), 14.1)
    np.testing.assert_allclose(again.convert(written), meant, atol=1e-9)


def test_engine_speed_in_radians_is_that_of_a_reference_library() -> None:
    radians = np.array([100.0, 314.159, 628.3])
    expected = (radians * pint.UnitRegistry()("rad/s")).to("rpm").magnitude
    reading = settle_unit(Role.RPM, "rad/s", np.linspace(90.0, 640.0, 200), 14.7)
    np.testing.assert_allclose(reading.convert(radians), expected, rtol=1e-12)


def test_a_number_behind_a_unit_is_read_both_ways_until_the_values_tell() -> None:
    assert [p.name for p in parts_of("kPa x10")] == ["0.1 kpa", "10 kpa"]
    both = settle_unit(Role.STFT, "% x10", 6.0 * WAVE, 14.7)
    assert [both.unit, *(r.unit for r in both.rivals)] == ["0.1 %", "10 %"]


@pytest.mark.parametrize("text", ["kPa", "°C", "12.5", "2026-11-30", "3-4", "", "x", "1/0 s"])
def test_what_has_no_number_in_it_is_left_alone(text: str) -> None:
    assert parts_of(text) == ()


def test_a_unit_nobody_can_have_meant_is_asked_by_its_name() -> None:
    reading = settle_unit(Role.COOLANT, "°C x1000", 80.0 + WAVE, 14.7)
    assert "°C x1000" in reading.doubt


@pytest.mark.parametrize(
    ("name", "closed"),
    [
        ("Open loop", [1.0, 0.0]),
        ("OL", [1.0, 0.0]),
        ("Boucle ouverte", [1.0, 0.0]),
        ("开环", [1.0, 0.0]),
        ("Closed loop", [0.0, 1.0]),
        ("Open/closed loop", [0.0, 1.0]),
    ],
)
def test_a_flag_of_the_open_loop_is_turned_round(name: str, closed: list[float]) -> None:
    reading = settle_unit(Role.CLOSED_LOOP, "", np.array([0.0, 1.0] * 50), 14.7, name)
    assert reading.convert(np.array([0.0, 1.0])).tolist() == closed

"""Columns whose names say nothing: what their numbers tell is taken, once others were told as well."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.channel_map import MappedLog
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.lexicon import meaning_of
from lean_trim.formats.meaning.names import candidates, split_unit
from lean_trim.formats.meaning.overlooked import may_be_trim
from lean_trim.formats.meaning.rows import time_columns
from tests.formats.meaning.test_overlooked import read


def sureness(mapped: MappedLog, role: Role) -> str:
    return next(m.sureness for m in mapped.matches if m.role is role)


def test_one_that_was_told_bears_the_next_one_out(short_log: Log, heron_vehicle: Vehicle) -> None:
    """Without pulse width nobody needs the battery; with it, it is known by its steady volts."""
    called = {Role.PULSE_WIDTH: ("Qxz cylinder", "ms"), Role.BATTERY: ("Wyvern", "V")}
    mapped = read(short_log, heron_vehicle, called)
    assert mapped.doubts == ()
    for role in called:
        np.testing.assert_allclose(mapped.log[role], short_log[role], atol=1e-9)
        assert sureness(mapped, role) == "likely"


def test_two_trims_without_a_name_are_told_together_by_the_fuel(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    called = {Role.LTFT: ("Qxz", ""), Role.STFT: ("Wyvern", "")}
    mapped = read(short_log, heron_vehicle, called)
    assert mapped.doubts == ()
    for role in called:
        np.testing.assert_allclose(mapped.log[role], short_log[role], atol=1e-9)


def test_of_two_trims_the_quicker_one_is_the_short_one(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    """One is called a trim and no more, which mostly is the short one; here it is the long one."""
    called = {Role.LTFT: ("Trim", "%"), Role.STFT: ("Wyvern", "%")}
    mapped = read(short_log, heron_vehicle, called)
    assert mapped.doubts == ()
    np.testing.assert_allclose(mapped.log[Role.STFT], short_log[Role.STFT], atol=1e-9)


def test_a_column_that_no_fuel_follows_is_no_pulse_width(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    """As long as the pulse width on average, and at another time."""
    late = replace(
        short_log,
        channels={
            **short_log.channels,
            Role.PULSE_WIDTH: np.roll(short_log[Role.PULSE_WIDTH], len(short_log) // 3),
        },
    )
    assert Role.PULSE_WIDTH not in read(late, heron_vehicle, {Role.PULSE_WIDTH: ("Qxz", "ms")}).log


@pytest.mark.parametrize(
    ("name", "moves_kpa", "told"),
    [("Qxz", 0.4, True), ("Qxz", 25.0, False), ("Oil pressure", 0.4, False)],
)
def test_a_pressure_that_rests_where_weather_has_it_is_the_barometer(
    short_log: Log, heron_vehicle: Vehicle, name: str, moves_kpa: float, told: bool
) -> None:
    moving = 97.0 + 0.5 * moves_kpa * np.sin(short_log.time_s / 30.0)
    log = replace(short_log, channels={**short_log.channels, Role.KNOCK: moving})
    mapped = read(log, heron_vehicle, {}, extra={Role.KNOCK: (name, "kPa")})
    assert (Role.BARO in mapped.log) == told and mapped.doubts == ()


def test_trims_that_never_move_are_asked_nothing(short_log: Log, heron_vehicle: Vehicle) -> None:
    """Tenths or tens of a percent, the short one or the long one: of 0 all are 0."""
    still = {role: np.zeros(len(short_log)) for role in (Role.STFT, Role.LTFT)}
    log = replace(short_log, channels={**short_log.channels, **still})
    called = {Role.STFT: ("Trim", "% x10"), Role.LTFT: ("Learned", "% x10")}
    assert read(log, heron_vehicle, called).doubts == ()


def test_a_bare_column_that_swings_about_nothing_may_be_a_trim() -> None:
    swings = 4.0 * np.sin(np.arange(400) / 9.0)
    assert may_be_trim(Column(0, "Qxz", ""), swings)
    assert not may_be_trim(Column(0, "Qxz", "deg"), swings)
    assert not may_be_trim(Column(0, "Qxz", ""), swings + 10.0)
    assert not may_be_trim(Column(0, "Qxz", ""), 30.0 * swings)
    assert not may_be_trim(Column(0, "Throttle Error", ""), swings)


@pytest.mark.parametrize(
    ("name", "atoms"),
    [
        ("mnfldPrs", {"manifold", "pressure"}), ("tIntk", {"intake", "time"}),
        ("fueltrimlt", {"fuel", "trim", "long"}), ("mixtarg", {"mixture", "wanted"}),
        ("Engine revs per min", {"engine", "rpm"}), ("Throttle Blade Pos.", {"throttle", "position"}),
        ("Coolant Out Temp", {"coolant", "temp"}), ("Einspr Zeit", {"injector", "time"}),
        ("LAMTGTVAL", {"mixture", "wanted"}), ("IATSENS", {"iat"}),
        ("Capteur T° air", {"sensor", "temp", "air"}),
    ],
)  # fmt: skip
def test_words_cut_joined_or_without_vowels_mean_what_they_are_cut_from(
    name: str, atoms: set[str]
) -> None:
    assert meaning_of(name).atoms == atoms


def test_brackets_hold_a_unit_or_a_word_and_the_unit_behind_counts() -> None:
    assert split_unit("Drehzahl (1/min) [rpm]") == ("Drehzahl", "rpm")
    assert split_unit("Air Inlet Temp (post IC)") == ("Air Inlet Temp post IC", "")
    assert split_unit("Boost (zorkmid)") == ("Boost", "zorkmid")


def test_a_switch_is_no_trim_and_a_raw_count_has_no_unit() -> None:
    roles = [c.role for c in candidates(Column(0, "CL St", "0/1"))]
    assert Role.STFT not in roles
    assert next(c.role for c in candidates(Column(0, "Lambda raw", "A/F"))) is Role.LAMBDA
    assert candidates(Column(0, "Lambda raw", "")) == ()


@pytest.mark.parametrize("units", ["%", "factor"])
def test_two_trims_in_their_unit_are_parted_by_how_often_they_turn(
    short_log: Log, heron_vehicle: Vehicle, units: str
) -> None:
    """Neither name says anything; both are in a unit of trims, so that each may be either."""
    scale = 1.0 if units == "%" else 0.01
    both = {
        role: (1.0 if scale < 1.0 else 0.0) + scale * short_log[role]
        for role in (Role.STFT, Role.LTFT)
    }
    log = replace(short_log, channels={**short_log.channels, **both})
    mapped = read(log, heron_vehicle, {Role.LTFT: ("Qxz", units), Role.STFT: ("Wyvern", units)})
    assert mapped.doubts == ()
    for role in both:
        np.testing.assert_allclose(mapped.log[role], short_log[role], atol=1e-6)


def test_a_trim_whose_way_of_counting_is_not_known_is_asked_about(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    late = replace(
        short_log, channels={**short_log.channels, Role.LTFT: 100.0 + short_log[Role.LTFT]}
    )
    mapped = read(late, heron_vehicle, {Role.LTFT: ("Qxz", "% of 100")})
    assert [o.role for o in mapped.overlooked] == [Role.LTFT]


@pytest.mark.parametrize(("moves_k", "told"), [(8.0, True), (1.0, False)])
def test_a_temperature_far_below_a_warm_engines_that_moves_with_load_is_the_airs(
    short_log: Log, heron_vehicle: Vehicle, moves_k: float, told: bool
) -> None:
    """Air outside hardly moves; oil would be hot by then, and its name mostly says so."""
    air = 28.0 + 0.5 * moves_k * np.sin(short_log.time_s / 50.0)
    log = replace(short_log, channels={**short_log.channels, Role.IAT: air})
    mapped = read(log, heron_vehicle, {Role.IAT: ("Qxz", "°C")})
    assert (Role.IAT in mapped.log) == told
    assert [o.role for o in mapped.overlooked] == ([] if told else [Role.IAT])
    hot = replace(short_log, channels={**short_log.channels, Role.IAT: air + 50.0})
    assert Role.IAT not in read(hot, heron_vehicle, {Role.IAT: ("Qxz", "°C")}).log


def test_a_part_of_a_word_does_not_keep_a_channel_out(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    """*Red* is a net in Spanish and the beginning of *redline* in English; what it means is asked."""
    assert meaning_of("Tensión de red").guessed == {"limit"}
    mapped = read(short_log, heron_vehicle, {Role.BATTERY: ("Tensión de red", "V")})
    assert [o.role for o in mapped.overlooked] == [Role.BATTERY]


def test_where_what_is_called_a_time_does_not_go_on_the_clock_is_what_does() -> None:
    """The time a valve is open beside a clock whose name says nothing."""
    rows = np.arange(2000)
    columns = (Column(0, "Qxz", "s"), Column(1, "Valve time", ""), Column(2, "RPM", "rpm"))
    opens = 2.0 + np.sin(rows / 40.0)
    raw = RawColumns(columns, {0: rows / 25.0, 1: opens, 2: 900.0 + rows}, "text")
    assert [c.name for c in time_columns(raw, Choices(), "drive")] == ["Qxz"]
    assert meaning_of("LTFTB1").bank == 1 and meaning_of("STFTB2").bank == 2


def test_a_temperature_that_mostly_rests_is_no_second_clock() -> None:
    rows = np.arange(2000)
    columns = (Column(0, "Time", "s"), Column(1, "T_inle", ""), Column(2, "RPM", "rpm"))
    warms = 23.0 + 0.1 * np.round(30.0 * np.sin(rows / 400.0))
    raw = RawColumns(columns, {0: rows / 25.0, 1: warms, 2: 900.0 + rows}, "text")
    assert [c.name for c in time_columns(raw, Choices(), "drive")] == ["Time"]

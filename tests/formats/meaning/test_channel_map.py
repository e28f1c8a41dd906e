"""Roles, units, doubts and time bases."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.channels import Role
from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.proof.proof_evidence import Proof, Verdict
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.channel_map import MappedLog, by_role, map_channels, wanted_columns
from lean_trim.formats.meaning.choices import Choices, ColumnChoice, shape_of, two_point_scale
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.meaning.timebase import RESTART_GAP_S, settle_time, spread_repeats
from lean_trim.formats.meaning.unit_check import settle_unit

N = 500
WAVE = np.sin(np.arange(N) / 9.0)


def made(choices: Choices | None = None, **channels: np.ndarray) -> MappedLog:
    """Understand columns given as name__unit = values (a double underscore parts the unit)."""
    columns = [Column(0, "Time", "s")]
    values = {0: np.arange(N) * 0.04}
    for i, (key, data) in enumerate(channels.items(), 1):
        name, _, unit = key.partition("__")
        columns.append(Column(i, name.replace("_", " "), unit))
        values[i] = np.broadcast_to(np.asarray(data, float), (N,)).copy()
    return map_channels(RawColumns(tuple(columns), values, "text"), "made", 14.1, choices)


@pytest.mark.parametrize(
    ("role", "unit", "level", "swing", "factor"),
    [
        (Role.MAP, "", 0.6, 0.3, 100.0),
        (Role.MAP, "", 60.0, 30.0, 1.0),
        (Role.COOLANT, "", 361.0, 4.0, None),
        (Role.PULSE_WIDTH, "", 4000.0, 2000.0, 1e-3),
        (Role.THROTTLE, "", 0.4, 0.3, 100.0),
        (Role.BATTERY, "", 13800.0, 100.0, 1e-3),
    ],
)
def test_a_missing_unit_is_read_from_the_values(
    role: Role, unit: str, level: float, swing: float, factor: float | None
) -> None:
    reading = settle_unit(role, unit, level + swing * WAVE, 14.7)
    assert not reading.doubt
    if factor is not None:
        assert float(reading.convert(np.array([level]))[0]) == pytest.approx(level * factor)
    else:
        assert 80 < float(reading.convert(np.array([level]))[0]) < 95


@pytest.mark.parametrize(
    ("role", "unit", "level", "words"),
    [
        (Role.MAP, "kPa", 0.9, "headed kPa but runs from"),
        (Role.LAMBDA, "AFR", 1.0, "that would fit λ"),
        (Role.LAMBDA, "λ", 14.1, "that would fit AFR"),
        (Role.COOLANT, "°C", 190.0, "headed °C"),
        (Role.RPM, "rpm", 1e6, "not plausible in any unit"),
        (Role.MAP, "parsec", 60.0, "unit 'parsec' is not known"),
        (Role.LAMBDA, "V", 2.5, "give the two points of its scale"),
    ],
)
def test_contradictions_are_asked_about_not_guessed(
    role: Role, unit: str, level: float, words: str
) -> None:
    assert words in settle_unit(role, unit, level * (1 + 0.05 * WAVE), 14.7).doubt


def test_trims_come_as_percent_factor_or_around_100() -> None:
    for values in (3.0 + WAVE, 1.03 + 0.01 * WAVE, 103.0 + WAVE):
        reading = settle_unit(Role.STFT, "", values, 14.7)
        np.testing.assert_allclose(reading.convert(values), 3.0 + WAVE, atol=1e-9)


def test_loop_status_as_flag_and_as_code() -> None:
    """SAE J1979 PID 03: 2 closed loop, 4 open loop for load (from memory)."""
    flag = np.array([0.0, 1.0, 1.0])
    code = np.array([1.0, 2.0, 4.0, 16.0])
    np.testing.assert_array_equal(settle_unit(Role.CLOSED_LOOP, "", flag, 14.7).convert(flag), flag)
    np.testing.assert_array_equal(
        settle_unit(Role.CLOSED_LOOP, "", code, 14.7).convert(code), [0, 1, 0, 1]
    )


@pytest.mark.parametrize("name", ["Airflow_source", "MAF_blend", "VE/MAF_mode", "Lastquelle"])
def test_the_airflow_source_is_recognised_as_flag_and_as_percent(name: str) -> None:
    flag = made(**{name: (WAVE > 0).astype(float)})
    np.testing.assert_array_equal(flag.log[Role.AIRFLOW_SOURCE], WAVE > 0)
    percent = made(**{f"{name}__%": 50.0 + 50.0 * WAVE})
    np.testing.assert_allclose(percent.log[Role.AIRFLOW_SOURCE], 0.5 + 0.5 * WAVE)
    odd = made(**{name: np.round(2.0 + WAVE)})
    assert any("0 (VE table) to 1" in str(d) for d in odd.doubts)


def test_gauge_pressure_is_told_by_vacuum_or_by_the_engine_at_rest() -> None:
    rpm = np.where(np.arange(N) < 50, 0.0, 2000.0)
    vacuum = made(RPM__rpm=rpm, MAP__kPa=np.where(rpm > 0, -50.0 + 20 * WAVE, 0.0), Baro__kPa=98.0)
    np.testing.assert_allclose(vacuum.log[Role.MAP][:50], 98.0)
    assert "gauge pressure" in by_role(vacuum.matches)[Role.MAP].note
    boost = made(RPM__rpm=rpm, MAP__psi=np.where(rpm > 0, 6.0 + 2 * WAVE, 0.0))
    np.testing.assert_allclose(boost.log[Role.MAP][:50], 101.3)
    absolute = made(RPM__rpm=rpm, MAP__kPa=np.where(rpm > 0, 50.0 + 20 * WAVE, 99.0))
    np.testing.assert_allclose(absolute.log[Role.MAP][:50], 99.0)
    assert absolute.doubts == ()
    odd = made(RPM__rpm=rpm, MAP__kPa=np.where(rpm > 0, 50.0 + 20 * WAVE, 35.0))
    assert "with the engine off" in odd.doubts[0]


def test_two_banks_are_averaged_or_chosen() -> None:
    both = {"STFT_Bank_1__%": 4.0 + WAVE, "STFT_Bank_2__%": 6.0 + WAVE}
    np.testing.assert_allclose(made(**both).log[Role.STFT], 5.0 + WAVE)
    np.testing.assert_allclose(made(Choices(banks="2"), **both).log[Role.STFT], 6.0 + WAVE)
    assert "two banks" in by_role(made(**both).matches)[Role.STFT].note


def test_two_equally_good_columns_are_asked_about_and_the_answer_holds() -> None:
    rivals = {"Wideband__λ": 1.0 + 0.1 * WAVE, "AFR__λ": 0.9 + 0.1 * WAVE}
    asked = made(**rivals)
    assert asked.doubts == ("Lambda could be 'Wideband' or 'AFR'; which one?",)
    answer = Choices({"AFR": ColumnChoice(Role.LAMBDA), "Wideband": ColumnChoice(None)})
    settled = made(answer, **rivals)
    assert settled.doubts == ()
    np.testing.assert_allclose(settled.log[Role.LAMBDA], 0.9 + 0.1 * WAVE)
    same = made(Wideband__λ=1.0 + 0.1 * WAVE, AFR__λ=1.0 + 0.1 * WAVE)
    assert same.doubts == ()


def test_a_voltage_becomes_lambda_by_two_points() -> None:
    choices = Choices({"Wideband": ColumnChoice(Role.LAMBDA, "0 V = 0.68, 5 V = 1.36")})
    log = made(choices, Wideband__V=2.5 + WAVE).log
    np.testing.assert_allclose(log[Role.LAMBDA], 0.68 + (2.5 + WAVE) * 0.136)
    afr = made(
        Choices({"Wideband": ColumnChoice(Role.LAMBDA, "0=10; 5=20")}), Wideband__V=2.5 + 0 * WAVE
    ).log
    np.testing.assert_allclose(afr[Role.LAMBDA], 15.0 / 14.1)
    assert two_point_scale("kPa") is None
    with pytest.raises(BadInputError, match="different voltages"):
        two_point_scale("1 V = 0.7, 1 V = 1.3")


def test_a_columns_role_and_unit_can_be_corrected() -> None:
    choices = Choices({"Kanal 7": ColumnChoice(Role.MAP, "psi"), "MAP": ColumnChoice(None)})
    log = made(choices, Kanal_7=np.full(N, 10.0) + WAVE, MAP__kPa=50 + WAVE).log
    assert log[Role.MAP].mean() == pytest.approx(68.9, abs=0.5)


def test_only_columns_that_may_matter_are_read_whole() -> None:
    columns = [
        Column(0, "Time", "s"),
        Column(1, "RPM", ""),
        Column(2, "Oil Level", "%"),
        Column(3, "Kanal 7", ""),
    ]
    names = ("Lambda", "MAP", "Battery", "Coolant", "Short Trim", "Long Trim", "Pulse Width")
    named = [*columns, *(Column(i, name, "") for i, name in enumerate(names, 4))]
    usual = {0, 1, *range(4, 4 + len(names))}
    assert wanted_columns(named) == usual
    assert wanted_columns(named, Choices({"Kanal 7": ColumnChoice(Role.IAT)})) == {3, *usual}
    # Where no name speaks of what every log holds, one that says nothing may be it.
    assert wanted_columns(columns) == {0, 1, 3}


def test_the_shape_of_a_log_ignores_the_order_of_its_columns() -> None:
    a = Column(0, "RPM", "rpm")
    b = Column(1, "MAP", "kPa")
    c = Column(1, "MAP", "psi")
    assert shape_of([a, b]) == shape_of([b, a])
    assert shape_of([a, b]) != shape_of([a, c])


def test_a_restarted_clock_begins_a_new_recording() -> None:
    base = settle_time(np.array([0.0, 1.0, 2.0, 3.0, 0.0, 1.0]), "x")
    np.testing.assert_allclose(base.time_s, [0, 1, 2, 3, 3 + RESTART_GAP_S, 4 + RESTART_GAP_S])
    assert base.joints_s == (3 + RESTART_GAP_S,)
    assert "started again 1 times" in base.notes[0]


def test_rows_out_of_order_are_sorted_and_rows_without_time_dropped() -> None:
    base = settle_time(np.array([0.0, 0.2, 0.1, np.nan, 0.3]), "x")
    np.testing.assert_allclose(base.time_s, [0.0, 0.1, 0.2, 0.3])
    np.testing.assert_array_equal(base.order, [0, 2, 1, 4])
    assert len(base.notes) == 2


@given(st.lists(st.integers(1, 6), min_size=2, max_size=30))
def test_repeated_times_are_spread_and_never_pass_the_next(counts: list[int]) -> None:
    coarse = np.repeat(np.arange(len(counts)) * 0.1, counts)
    fine = spread_repeats(coarse)
    assert (np.diff(fine) > 0).all()
    assert (fine >= coarse - 1e-12).all()
    assert (fine < coarse + 0.1 + 1e-9).all()


def test_a_clock_that_stands_still_is_refused() -> None:
    with pytest.raises(LogError, match="all rows have the same time"):
        settle_time(np.full(10, 3.0), "x")


COMPARED = Message("test.compared", "compared")


@pytest.mark.parametrize(
    ("verdicts", "doubt", "word"),
    [
        ((), "", "sure"),
        (("agrees", "cannot tell"), "", "sure"),
        (("cannot tell",), "", "likely"),
        (("agrees",), "which one?", "asks"),
    ],
)
def test_what_was_compared_and_not_borne_out_is_not_sure(
    verdicts: tuple[Verdict, ...], doubt: str, word: str
) -> None:
    proofs = tuple(Proof(Role.MAP, v, COMPARED()) for v in verdicts)
    assert Match(Role.MAP, (), "kPa", 1.0, doubt=doubt, proofs=proofs).sureness == word

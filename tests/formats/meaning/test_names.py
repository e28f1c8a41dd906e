"""Names in the habits of programmers: units lend their quantity, letters stand for one."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.names import candidates, split_unit
from lean_trim.formats.meaning.rows import time_columns
from lean_trim.formats.meaning.shared_prefix import without_shared


def role_of(name: str, unit: str) -> Role | None:
    found = candidates(Column(0, name, unit))
    return found[0].role if found else None


@pytest.mark.parametrize(
    ("name", "unit", "role"),
    [
        ("p_man", "kPa", Role.MAP),
        ("pMan", "", Role.MAP),
        ("pman", "kPa", Role.MAP),
        ("T_cool", "°C", Role.COOLANT),
        ("tcool", "", Role.COOLANT),
        ("nEng", "rpm", Role.RPM),
        ("n", "1/min", Role.RPM),
        ("engrpm", "rpm", Role.RPM),
        ("v_veh", "km/h", Role.SPEED),
        ("manifold", "kPa", Role.MAP),
        ("engine", "°C", Role.COOLANT),
        ("injector", "ms", Role.PULSE_WIDTH),
        ("lamdes", "λ", Role.TARGET),
        ("lamAct", "λ", Role.LAMBDA),
        ("lambda_sp", "λ", Role.TARGET),
        ("lambda_pv", "λ", Role.LAMBDA),
        ("t_inj", "ms", Role.PULSE_WIDTH),
        ("Lambda Sensor", "λ", Role.LAMBDA),
        # What it is not.
        ("p_oil", "kPa", None),
        ("oil", "°C", None),
        ("turbo", "rpm", None),
        ("Lambda Sensor", "V", None),
    ],
)
def test_the_unit_lends_its_quantity_to_the_name(name: str, unit: str, role: Role | None) -> None:
    assert role_of(name, unit) is role


@pytest.mark.parametrize(
    ("header", "name", "unit"),
    [
        ("Speed, x1000 rpm", "Speed", "x1000 rpm"),
        ("Pressure, kPa(g)", "Pressure", "kPa(g)"),
        ("Time, h", "Time", "h"),
        ("Lambda, 0.001", "Lambda", "0.001"),
        ("ECU: lam", "ECU: lam", ""),
    ],
)
def test_a_unit_of_several_words_stands_behind_a_comma(header: str, name: str, unit: str) -> None:
    assert split_unit(header) == (name, unit)


def test_what_all_names_begin_with_is_left_out() -> None:
    names = ("ecu.engine.rpm", "ecu.engine.map", "ecu.engine.iat", "ecu.engine.ect", "ecu.engine.t")
    columns = without_shared([Column(i, n, "") for i, n in enumerate(names)])
    assert [c.own_name for c in columns] == ["rpm", "map", "iat", "ect", "t"]
    assert [c.name for c in columns] == list(names)
    numbered = without_shared([Column(i, f"{i:02d}_ch{i}", "") for i in range(6)])
    assert [c.own_name for c in numbered] == [f"ch{i}" for i in range(6)]
    # A word that some share means something.
    engine = ("Engine Speed", "Engine Load", "MAP", "IAT", "TPS", "Lambda")
    assert all(
        not c.shared for c in without_shared([Column(i, n, "") for i, n in enumerate(engine)])
    )


TIME = np.arange(400) * 0.04
WAVE = np.sin(TIME)


def clock_of(*columns: tuple[str, str, np.ndarray]) -> list[str]:
    raw = RawColumns(
        tuple(Column(i, name, unit) for i, (name, unit, _) in enumerate(columns)),
        {i: values for i, (_, _, values) in enumerate(columns)},
        "text",
    )
    return [c.name for c in time_columns(raw, Choices(), "drive")]


def test_the_time_is_what_goes_on_evenly_whatever_it_is_called() -> None:
    rpm = ("RPM", "rpm", 2000.0 + 500.0 * WAVE)
    assert clock_of(("Qxz", "", TIME), rpm) == ["Qxz"]
    assert clock_of(("Qxz", "s", TIME), ("Wyv", "", 3.0 * TIME), rpm) == ["Qxz"]
    # Numbers of rows, distances and what only speaks of time are none.
    assert clock_of(("Qxz", "", np.arange(400.0)), rpm) == []
    assert clock_of(("Qxz", "", np.cumsum(1.0 + WAVE**9)), rpm) == []
    width = ("喷射时长时间", "ms", 4.0 + WAVE)
    assert clock_of(("时间", "s", TIME), width, rpm) == ["时间"]
    assert clock_of(("T_x", "°C", 20.0 + TIME), ("Time", "s", TIME), rpm) == ["Time"]


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("Kurzfr. Kraftstofftrimm", Role.STFT),
        ("Langfr. Kraftstofftrimm", Role.LTFT),
        ("Umgebungsdr.", Role.BARO),
        ("Кратковрем. топливокоррекция", Role.STFT),
        ("Przepust.", Role.THROTTLE),
        ("Cons. lambda", Role.TARGET),
        ("Pres. admisión", Role.MAP),
        ("IntakeT", Role.IAT),
        ("WTemp", Role.COOLANT),
        ("FTshort", Role.STFT),
        ("trimLT", Role.LTFT),
        ("lamSP", Role.TARGET),
        ("Pbaro", Role.BARO),
        ("TPSact", Role.THROTTLE),
        ("U/min Motor", Role.RPM),
        ("rev_min", Role.RPM),
        ("Correção curta combustível", Role.STFT),
        ("Краткая коррекция", Role.STFT),
        ("Част. вращ.", Role.RPM),
        ("TPS開度", Role.THROTTLE),
        ("Einsprzeit", Role.PULSE_WIDTH),
        ("Trim breve t.", Role.STFT),
        ("ch_TIAT", Role.IAT),
    ],
)
def test_a_word_that_was_cut_short_or_run_together_is_understood(name: str, role: Role) -> None:
    assert role_of(name, "") is role


@pytest.mark.parametrize("name", ["Air Filter", "Cylinder Head Temp", "Per Cent", "Rpm Limit"])
def test_the_beginning_of_a_longer_word_is_not_always_that_word(name: str) -> None:
    assert role_of(name, "") is None

"""Pasted injector tables: units, both ways round, and what is refused."""

from __future__ import annotations

import numpy as np
import pint
import pytest

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.formats.tables import table_text
from lean_trim.formats.tables.injector_tables import InjectorForm, form_said, parse_injector_table

UNITS = pint.get_application_registry()
FLOWS = "kPa\tg/s\n250\t6.9\n300\t7.6\n400\t8.8\n"
GRID = "V\\kPa\t250\t300\t400\n16\t0.6\t0.62\t0.68\n8\t1.8\t1.9\t2.1\n12\t0.95\t1.0\t1.1\n"


def parsed(text: str, name: str, **said: str) -> Table:
    return parse_injector_table(text, name, "the clipboard", InjectorForm(**said))  # type: ignore[arg-type]


@pytest.mark.parametrize("unit", ["kg/h", "lb/h"])
def test_flows_agree_with_a_units_package(unit: str) -> None:
    table = parsed("300\t30\n400\t34.6\n", INJECTOR_FLOW, cells=unit)
    expected = UNITS.Quantity(30.0, unit.replace("h", "hour")).to("g/s").magnitude
    assert table.values[0] == pytest.approx(expected, rel=1e-6)
    assert table.shown_unit == unit and table.shown[0] == pytest.approx(30.0)


def test_pressures_agree_with_a_units_package() -> None:
    table = parsed("43.5\t7.6\n58\t8.8\n", INJECTOR_FLOW, pressure="psi", cells="g/s")
    assert table.axes[0].points[0] == pytest.approx(
        UNITS.Quantity(43.5, "psi").to("kPa").magnitude, rel=1e-6
    )


def test_volumes_are_of_test_fluid_as_injectors_are_rated() -> None:
    # SAE J1832 rates with n-heptane, about 0.68 kg/l; petrol flows √(0.745/0.684) of its mass.
    table = parsed("300\t440\n400\t508\n", INJECTOR_FLOW, cells="cm³/min")
    assert table.values[0] == pytest.approx(440.0 * 0.684 / 60.0 * np.sqrt(0.745 / 0.684), rel=1e-3)


def test_a_grid_is_read_either_way_round_and_made_to_rise() -> None:
    upright = parsed(GRID, DEAD_TIME, cells="ms")
    assert [a.name for a in upright.axes] == ["battery", "fuel pressure"]
    np.testing.assert_array_equal(upright.axes[0].points, [8.0, 12.0, 16.0])
    assert upright.values[0, 2] == 2.1
    lines = [line.split("\t") for line in GRID.splitlines()]
    lines[0][0] = "kPa\\V"
    turned = "\n".join("\t".join(row) for row in zip(*lines, strict=True))
    np.testing.assert_array_equal(parsed(turned, DEAD_TIME, cells="ms").values, upright.values)


@pytest.mark.parametrize(("text", "name"), [(FLOWS, INJECTOR_FLOW), (GRID, DEAD_TIME)])
def test_what_is_written_is_read_back(text: str, name: str) -> None:
    scaled = parsed(text, name, cells="g/s" if name == INJECTOR_FLOW else "ms")
    back = parse_injector_table(
        table_text(scaled), name, "back", InjectorForm(cells=scaled.shown_unit)
    )
    np.testing.assert_allclose(back.values, scaled.values)


def test_the_header_names_the_units() -> None:
    form = form_said(("psi", "cc/min"), INJECTOR_FLOW, InjectorForm())
    assert (form.pressure, form.cells) == ("psi", "cm³/min")
    assert form_said(("V", "us"), DEAD_TIME, InjectorForm(cells="ms")).cells == "µs"
    assert form_said(("8", "1.9"), DEAD_TIME, InjectorForm(cells="ms")).cells == "ms"


@pytest.mark.parametrize(
    ("text", "name", "said", "words"),
    [
        ("300\t7.6\n400\t8.8\n", INJECTOR_FLOW, {"pressure": "bar"}, "allowed are 20"),
        ("3\t7.6\n4\t8.8\n", INJECTOR_FLOW, {}, "Is the unit right?"),
        ("300\t0\n400\t8.8\n", INJECTOR_FLOW, {}, "allowed are 0.1"),
        ("300\t-7\n400\t8.8\n", INJECTOR_FLOW, {}, "allowed are 0.1"),
        ("8\t1900\n14\t780\n", DEAD_TIME, {"cells": "ms"}, "allowed are 0 to 10 ms"),
        ("8\t1.0\n14\t1.2\n", DEAD_TIME, {"cells": "ms"}, "has to fall with voltage"),
        (
            "x\t250\t300\n1\t1.0\t1.1\n2\t0.9\t1.0\n",
            DEAD_TIME,
            {"cells": "ms"},
            "write V beside it",
        ),
        (
            "V\t250\t300\n8\t1.0\tabc\n9\t0.9\t1.0\n",
            DEAD_TIME,
            {"cells": "ms"},
            "'abc' is no number",
        ),
        ("", INJECTOR_FLOW, {}, "clipboard"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(
    text: str, name: str, said: dict[str, str], words: str
) -> None:
    with pytest.raises(BadInputError) as refused:
        parsed(text, name, **said)
    assert words in str(refused.value)


def test_a_small_pulse_table_is_read_and_written_in_its_own_unit() -> None:
    table = parsed("ms,added\n0.3,0.11\n0.6,0.04\n1.2,0\n", SMALL_PULSES, cells="ms")
    np.testing.assert_allclose(table.shown, [0.11, 0.04, 0.0], atol=1e-12)
    micro = parsed("300\t110\n600\t40\n1200\t0\n", SMALL_PULSES, cells="µs")
    np.testing.assert_allclose(micro.values, table.values)
    np.testing.assert_allclose(
        parsed(table_text(table), SMALL_PULSES, cells="ms").values, table.values
    )


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("0.3,0.6\n0.5,0.1\n", "longer open time"),
        ("300,110\n600,40\n", "Is the unit right"),
        ("0.3,2.0\n0.9,0\n", "allowed are -0.5 to 0.9 ms"),
    ],
)
def test_an_impossible_small_pulse_table_is_refused(text: str, words: str) -> None:
    with pytest.raises(BadInputError, match=words):
        parsed(text, SMALL_PULSES, cells="ms")

"""A vehicle as it is typed: units, defaults that say so, wrong values refused where they stand."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
import pint
import pytest

from lean_trim.core.data.fuel_corrections import WARM_UP, curve_of
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.formats.vehicle_sheet import vehicle_dict
from lean_trim.workspace.vehicle.dead_times import dead_times_in
from lean_trim.workspace.vehicle.draft import VehicleDraft, draft_of
from lean_trim.workspace.vehicle.fields import FIELDS, Key
from tests.builders import maf_vehicle, small_vehicle


def begun() -> VehicleDraft:
    draft = VehicleDraft(name="Plover", table=small_vehicle().table)
    return draft.typed(Key.CYLINDERS, "3").typed(Key.DISPLACEMENT, "1.2")


def test_what_is_needed_is_named_and_nothing_else_is() -> None:
    draft = VehicleDraft()
    assert draft.missing == ("a name", "cylinders", "displacement", "the airflow table")
    assert begun().is_ready
    vehicle = begun().vehicle()
    assert (vehicle.cylinders, vehicle.displacement_l, vehicle.stoich_afr) == (3, 1.2, 14.7)
    assert not vehicle.injectors.is_known
    with pytest.raises(BadInputError, match="a name"):
        draft.vehicle()


def test_every_default_says_so() -> None:
    draft = begun()
    for key, limits in FIELDS.items():
        assert draft.note(key) or draft.numbers[key].text, key
        if limits.default is not None:
            assert "taken" in draft.note(key), key
    assert draft.note(Key.STOICH) == "14.7 kg/kg taken, of petrol"


@pytest.mark.parametrize(
    ("key", "text", "unit", "expected", "as_pint"),
    [
        (Key.DISPLACEMENT, "1998", "cm³", 1.998, ("cm**3", "liter")),
        (Key.PRESSURE, "43.5", "psi", 299.9, ("psi", "kPa")),
        (Key.PRESSURE, "3", "bar", 300.0, ("bar", "kPa")),
        (Key.FLOW, "60", "lb/h", 7.56, ("lb/hour", "g/s")),
        (Key.DISPLACEMENT, "2,5", "L", 2.5, ("liter", "liter")),
    ],
)
def test_units_are_those_of_a_units_package(
    key: Key, text: str, unit: str, expected: float, as_pint: tuple[str, str]
) -> None:
    """NIST SP 811 by way of pint."""
    value = begun().typed(key, text, unit).number(key)
    units = pint.get_application_registry()
    amount = units.Quantity(float(text.replace(",", ".")), as_pint[0]).to(as_pint[1]).magnitude
    assert value == pytest.approx(float(amount), rel=1e-6)
    assert value == pytest.approx(expected, rel=2e-3)


@pytest.mark.parametrize(
    ("key", "text", "words"),
    [
        (Key.CYLINDERS, "four", "“four” is not a number"),
        (Key.CYLINDERS, "4.5", "is not a whole number"),
        (Key.CYLINDERS, "0", "allowed are 1 to 16"),
        (Key.DISPLACEMENT, "1800", "allowed are 0.05 to 30 L"),
        (Key.STOICH, "1", "allowed are 2 to 40"),
        (Key.FLOW, "-3", "allowed are 0.1 to 200 g/s"),
        (Key.PRESSURE, "nan", "is not a number"),
    ],
)
def test_a_wrong_value_is_refused_where_it_is_typed(key: Key, text: str, words: str) -> None:
    draft = begun().typed(key, text)
    assert words in draft.problem(key)
    assert not draft.is_ready
    assert draft.wrong[0].startswith(FIELDS[key].label)
    with pytest.raises(BadInputError):
        draft.vehicle()


def test_a_table_beyond_its_field_is_said() -> None:
    draft = begun().typed(Key.HIGHEST, "50")
    assert "outside the field's range" in draft.wrong[0]


def test_a_curve_for_a_table_car_is_missing_and_not_taken() -> None:
    draft = replace(begun(), table=maf_vehicle().table)
    assert any("curve" in what for what in draft.missing)
    assert replace(draft, airflow="maf").is_ready


@pytest.mark.parametrize(
    "text",
    [
        "8: 1.9\n12: 1.0\n14: 0.78",
        "14 V 0.78 ms\n12 V 1.0 ms\n8 V 1.9 ms",
        "8\t12\t14\n1.9\t1.0\t0.78",
        "V\tms\n8\t1.9\n12\t1\n14\t0.78",
        "8;1,9\n12;1,0\n14;0,78",
        "8=1.9, 12=1.0, 14=0.78",
    ],
)
def test_dead_times_are_read_however_they_are_pasted(text: str) -> None:
    volts, ms = dead_times_in(text)
    np.testing.assert_array_equal(volts, [8.0, 12.0, 14.0])
    np.testing.assert_array_equal(ms, [1.9, 1.0, 0.78])


def test_one_dead_time_is_that_at_14_volts_and_nonsense_is_refused() -> None:
    assert dead_times_in("0.9")[0].tolist() == [14.0]
    assert not len(dead_times_in("")[0])
    for text in ("8: 1.9\n12", "8: 19", "12: x", "soon"):
        with pytest.raises(BadInputError, match="Dead times"):
            dead_times_in(text)


@pytest.mark.parametrize("vehicle", [small_vehicle(), maf_vehicle()], ids=["ve", "maf"])
def test_a_vehicle_typed_again_is_the_same(vehicle: Vehicle) -> None:
    small = replace(
        vehicle.injectors, small_open_ms=np.array([0.3, 1.0]), small_add_ms=np.array([0.05, 0.0])
    )
    warm_up = curve_of(WARM_UP, [0, 80], [20, 0])
    vehicle = replace(
        vehicle,
        injectors=small,
        corrections={WARM_UP: warm_up},
        fuel_varies=True,
        compression=11.5,
        induction="atmospheric",
        follows_barometer=True,
        sensor_place="tailpipe",
    )
    again = draft_of(vehicle).vehicle()
    assert vehicle_dict(again) == vehicle_dict(vehicle)
    plain = {f.name for f in fields(Vehicle)} - {"injectors", "table", "target", "corrections"}
    assert {n: getattr(again, n) for n in plain} == {n: getattr(vehicle, n) for n in plain}
    assert again.table is vehicle.table and again.target is vehicle.target
    assert dict(again.corrections) == {WARM_UP: warm_up}

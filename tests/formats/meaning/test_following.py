"""A word on one column proposes what follows for another; two scales of one fuel are asked."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import polars as pl
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import open_log
from lean_trim.formats.meaning.choices import Choices, ColumnChoice
from lean_trim.formats.meaning.following import with_proposals
from lean_trim.formats.meaning.match import MappedLog, Match, by_role
from lean_trim.simcar.heron import heron

PETROL = 14.7
BLEND = 14.1
HEADS = {
    "RPM": Role.RPM,
    "MAP [kPa]": Role.MAP,
    "STFT [%]": Role.STFT,
    "LTFT [%]": Role.LTFT,
    "IAT [C]": Role.IAT,
    "CLT [C]": Role.COOLANT,
    "PW [ms]": Role.PULSE_WIDTH,
    "TPS [%]": Role.THROTTLE,
    "Batt [V]": Role.BATTERY,
}


def in_afr(log: Log, path: Path, lambda_scale: float, target_scale: float) -> Path:
    """A log whose mixtures are headed AFR, on scales nobody names."""
    data = {"Time [s]": log.time_s} | {head: log[role] for head, role in HEADS.items()}
    data["AFR"] = log[Role.LAMBDA] * lambda_scale
    data["AFR Target"] = log[Role.TARGET] * target_scale
    pl.DataFrame(data).write_csv(path)
    return path


def read(path: Path, vehicle: Vehicle, choices: Choices | None = None) -> MappedLog:
    return open_log(path, vehicle.stoich_afr, choices or Choices(), vehicle=vehicle).mapped


def said(column: str, role: Role, unit: str) -> Choices:
    return Choices(columns={column: ColumnChoice(role, unit)})


def answered(path: Path, vehicle: Vehicle, choices: Choices) -> tuple[MappedLog, dict[Role, Match]]:
    before = read(path, vehicle)
    after = with_proposals(before, read(path, vehicle, choices), Choices(), choices)
    return after, dict(by_role(after.matches))


@pytest.fixture(scope="module")
def blend() -> Vehicle:
    """A car on E10 whose sheet holds no targets: only lambda tells what scale they are on."""
    return replace(heron(), stoich_afr=BLEND, target=None)


def test_what_follows_for_the_target_is_a_question(
    short_log: Log, blend: Vehicle, tmp_path: Path
) -> None:
    path = in_afr(short_log, tmp_path / "a.csv", BLEND, BLEND)
    assert read(path, blend).doubts == ()
    choices = said("AFR", Role.LAMBDA, "AFR 14.7")
    after, found = answered(path, blend, choices)
    assert found[Role.LAMBDA].sureness == "sure" and found[Role.LAMBDA].note == "as you said"
    assert found[Role.TARGET].doubt.startswith("Target lambda would then be in AFR 14.7 (")
    assert found[Role.TARGET].choices == ("AFR 14.7",)
    # The next answer leaves it asked.
    later = replace(choices, baro_kpa=98.0)
    again = with_proposals(after, read(path, blend, later), choices, later)
    assert "would then be right as it is read" in by_role(again.matches)[Role.TARGET].doubt
    # Its own answer settles it.
    both = replace(
        later, columns={**later.columns, **said("AFR Target", Role.TARGET, "AFR 14.7").columns}
    )
    done = with_proposals(again, read(path, blend, both), later, both)
    assert done.doubts == ()


def test_a_doubt_that_goes_by_another_answer_stays_asked(
    short_log: Log, blend: Vehicle, tmp_path: Path
) -> None:
    path = in_afr(short_log, tmp_path / "a.csv", PETROL, BLEND)
    before = read(path, blend)
    assert "Target lambda could be in" in by_role(before.matches)[Role.TARGET].doubt
    _, found = answered(path, blend, said("AFR", Role.LAMBDA, "AFR"))
    assert found[Role.TARGET].sureness == "asks"


def test_an_answer_about_its_own_column_is_taken(short_log: Log, tmp_path: Path) -> None:
    path = in_afr(short_log, tmp_path / "a.csv", 1.0, 1.0)
    choices = Choices(columns={"AFR": ColumnChoice(None), "AFR Target": ColumnChoice(Role.LAMBDA)})
    after, found = answered(path, heron(), choices)
    assert found[Role.LAMBDA].columns[0].name == "AFR Target"
    assert not found[Role.LAMBDA].doubt
    assert Role.TARGET not in found and after.doubts == ()


@pytest.mark.parametrize(("column", "unit"), [("AFR", "AFR 14.7"), ("AFR Target", "AFR 14.7")])
def test_two_scales_of_one_fuel_are_asked_and_settled_by_naming_both(
    short_log: Log, tmp_path: Path, column: str, unit: str
) -> None:
    vehicle = replace(heron(), stoich_afr=BLEND)
    path = in_afr(short_log, tmp_path / "a.csv", BLEND, BLEND)
    role = Role.LAMBDA if column == "AFR" else Role.TARGET
    other = Role.TARGET if column == "AFR" else Role.LAMBDA
    mapped = read(path, vehicle, said(column, role, unit))
    match = by_role(mapped.matches)[other]
    if match.unit == unit:
        # Lambda goes by what its target is said to be; a word on it is then proposed, not asked here.
        assert other is Role.LAMBDA
        return
    assert "4.3 % apart" in match.doubt
    assert "0.959 × the sheet's target table" in match.doubt
    assert match.choices == ("AFR", "AFR 14.7")
    names = {Role.LAMBDA: "AFR", Role.TARGET: "AFR Target"}
    both = {**said(column, role, unit).columns, **said(names[other], other, "AFR").columns}
    assert read(path, vehicle, Choices(columns=both)).doubts == ()


def test_two_scales_that_physics_bears_out_are_read_without_asking(
    short_log: Log, tmp_path: Path
) -> None:
    vehicle = replace(heron(), stoich_afr=BLEND)
    mapped = read(in_afr(short_log, tmp_path / "a.csv", PETROL, BLEND), vehicle)
    found = by_role(mapped.matches)
    assert (found[Role.LAMBDA].unit, found[Role.TARGET].unit) == ("AFR 14.7", "AFR")
    assert mapped.doubts == ()

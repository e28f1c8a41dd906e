"""Two loggers in one file: one set of columns is read, the other named, and nobody is asked twelve times."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.channel_map import MappedLog, map_channels
from tests.formats.meaning.test_overlooked import NAMES


def read_both(
    log: Log,
    vehicle: Vehicle,
    first_late: int = 0,
    second_late: int = 0,
    name: str = "Dash {}",
    roles: tuple[Role, ...] = tuple(NAMES),
) -> MappedLog:
    """The drive with some channels twice, each set so many rows late in all but its pulse width."""
    columns = [Column(0, "Time", "s")]
    values = {0: log.time_s}
    for role, (usual, unit) in NAMES.items():
        for late, called in ((first_late, usual), (second_late, name.format(usual))):
            if called != usual and role not in roles:
                continue
            rows = late if role is not Role.PULSE_WIDTH else 0
            values[len(columns)] = np.roll(log[role], rows) * (1.0 if called == usual else 1.0004)
            columns.append(Column(len(columns), called, unit))
    raw = RawColumns(tuple(columns), values, "text")
    return map_channels(raw, "drive", vehicle.stoich_afr, None, vehicle)


def used(mapped: MappedLog) -> set[str]:
    return {c.name for m in mapped.matches for c in m.columns}


@pytest.mark.parametrize("name", ["Dash {}", "{} (logger)", "OBD.{}"])
def test_the_first_is_used_where_both_explain_the_fuel(
    short_log: Log, heron_vehicle: Vehicle, name: str
) -> None:
    mapped = read_both(short_log, heron_vehicle, name=name)
    assert mapped.doubts == () and used(mapped) == {usual for usual, _ in NAMES.values()}
    assert mapped.notes[0].startswith(
        f"A second set of {len(NAMES)} columns, called as the first with"
    )
    assert "explains the fuel alike" in mapped.notes[0]


def test_the_one_that_explains_the_fuel_is_used(short_log: Log, heron_vehicle: Vehicle) -> None:
    """Half a second late in all but the pulse width, a set strays from the fuel that it asks for."""
    late = read_both(short_log, heron_vehicle, first_late=12)
    assert late.doubts == () and all(n.startswith("Dash ") for n in used(late))
    assert late.notes[0].startswith("Of two sets") and "is used: fuel" in late.notes[0]
    early = read_both(short_log, heron_vehicle, second_late=12)
    assert early.doubts == () and not any(n.startswith("Dash ") for n in used(early))
    assert "is not used: fuel scatters by" in early.notes[0]


def test_of_a_few_channels_each_is_a_question(short_log: Log, heron_vehicle: Vehicle) -> None:
    mapped = read_both(short_log, heron_vehicle, roles=(Role.RPM, Role.COOLANT))
    assert len(mapped.doubts) == 2 and all("which one?" in doubt for doubt in mapped.doubts)

"""What the last log answers of the checklist."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.planning.readiness import ITEMS, facts_of
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron


@pytest.fixture(scope="module")
def drive() -> Log:
    return simulate(heron(), seed=1, minutes=4.0)


def told(log: Log, share: float = 1.0) -> dict[str, tuple[bool | None, str]]:
    frame = make_frame(log, heron())
    facts = facts_of(frame, np.full(len(log), share))
    return {key: (fact.is_so, str(fact.said)) for key, fact in facts.items()}


def with_channel(log: Log, role: Role, values: np.ndarray) -> Log:
    return replace(log, channels={**log.channels, role: values})


def test_every_fact_belongs_to_a_line_and_a_sound_log_answers_it(drive: Log) -> None:
    found = told(drive)
    assert set(found) <= {item.key for item in ITEMS} and len({i.key for i in ITEMS}) == 12
    for key in ("warm", "pressure", "airflow", "channels"):
        assert found[key][0] is True, found[key]
    assert "25 readings a second" in found["channels"][1]
    # Whether the ECU is meant to learn only the user knows.
    assert found["learning"][0] is None and "sound" not in found


def test_what_speaks_against_a_line_is_said_with_its_figure(drive: Log) -> None:
    n = len(drive)
    cold = told(with_channel(drive, Role.COOLANT, np.full(n, 40.0)))["warm"]
    assert cold == (False, "coolant reached only 40 °C")
    low = np.where(np.arange(n) > 0.9 * n, 250.0, 300.0)
    assert told(with_channel(drive, Role.FUEL_DP, low))["pressure"][0] is False
    knock = np.where(np.arange(n) == 50, 4.0, 0.0)
    assert told(with_channel(drive, Role.KNOCK, knock))["sound"] == (
        False,
        "knock retard up to 4° was seen",
    )
    assert told(drive, 0.0)["airflow"] == (False, "this table was in force for 0 % of the drive")
    widths = (Role.PULSE_WIDTH, Role.DUTY)
    channels = {r: v for r, v in drive.channels.items() if r not in widths}
    missing = told(replace(drive, channels=channels))["channels"]
    assert missing[0] is False and missing[1].startswith("not logged: pulse width")
    slow = Log(drive.time_s[::10], {r: v[::10] for r, v in drive.channels.items()})
    assert told(slow)["channels"] == (
        False,
        "2.5 readings a second: enough for tables, not for quick changes",
    )

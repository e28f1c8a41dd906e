"""The same drive written down a little otherwise is the same drive."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import Solution, solve

IN_HG_KPA = 3.386389
"""One inch of mercury at 0 °C, kPa (NIST SP 811, appendix B; from memory)."""
MOST = 0.5
"""Own errors by which a cell with a second of evidence may move."""


def rows(log: Log, keep: np.ndarray) -> Log:
    channels = {role: values[keep] for role, values in log.channels.items()}
    return replace(log, time_s=log.time_s[keep], channels=channels)


def in_inches(log: Log) -> Log:
    """Pressure as a logger with two decimals of inHg writes it."""
    kpa = np.round(log[Role.MAP] / IN_HG_KPA, 2) * IN_HG_KPA
    return replace(log, channels={**log.channels, Role.MAP: kpa})


def dithered(log: Log) -> Log:
    """The last digit of lambda and pressure anywhere within its step."""
    rng = np.random.default_rng(2)
    channels = dict(log.channels)
    for role, digit in ((Role.LAMBDA, 0.001), (Role.MAP, 0.01), (Role.STFT, 0.01)):
        channels[role] = channels[role] + rng.uniform(-0.5, 0.5, len(log)) * digit
    return replace(log, channels=channels)


def thinned(log: Log) -> Log:
    """One row in a thousand lost."""
    lost = np.random.default_rng(3).permutation(len(log))[: len(log) // 1000]
    return rows(log, np.setdiff1d(np.arange(len(log)), lost))


DRESSES: dict[str, Callable[[Log], Log]] = {
    "inHg": in_inches,
    "last digit": dithered,
    "rows lost": thinned,
    "begun later": lambda log: rows(log, np.arange(37, len(log))),
    "a day later": lambda log: replace(log, time_s=log.time_s + 86_400.0),
    "columns turned round": lambda log: replace(
        log, channels=dict(reversed(list(log.channels.items())))
    ),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", DRESSES)
def test_no_hair_decides(
    name: str, heron_log: Log, heron_vehicle: Vehicle, heron_solution: Solution
) -> None:
    other = solve([DRESSES[name](heron_log)], heron_vehicle)
    plain = heron_solution.estimate
    driven = plain.seconds >= 1.0
    moved = np.abs(other.estimate.correction_pct - plain.correction_pct) / plain.own_error_pct
    assert moved[driven].max() < MOST

    def dangers(solution: Solution) -> set[str]:
        return {f.id for f in solution.findings if f.severity == "danger"}

    assert dangers(other) == dangers(heron_solution)

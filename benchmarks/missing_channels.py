"""How close the estimate comes when channels are missing or poor.

Every case of a folder, one thing taken away at a time.

``.venv/bin/python -m benchmarks.missing_channels CASES``, with folders as in
``benchmarks.ablations``.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.cases import cases_in
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.physics import duty_pct

NEEDED = frozenset(
    {Role.RPM, Role.MAP, Role.MAF_HZ, Role.THROTTLE, Role.LAMBDA, Role.TARGET, Role.STFT, Role.LTFT}
)


def without(log: Log, *roles: Role) -> Log:
    """The log less some channels."""
    return replace(
        log,
        channels={r: v for r, v in log.channels.items() if r not in roles},
        updates={r: v for r, v in log.updates.items() if r not in roles},
    )


def duty_instead(log: Log) -> Log:
    """Injector duty to a tenth of a percent in place of the pulse width."""
    duty = np.round(duty_pct(log[Role.PULSE_WIDTH], log[Role.RPM]), 1)
    return replace(
        without(log, Role.PULSE_WIDTH),
        channels={**without(log, Role.PULSE_WIDTH).channels, Role.DUTY: duty},
    )


def noisy(log: Log) -> Log:
    """Two percent of noise on every reading of lambda."""
    noise = 0.02 * np.random.default_rng(0).standard_normal(len(log))
    return replace(log, channels={**log.channels, Role.LAMBDA: log[Role.LAMBDA] * (1.0 + noise)})


def thinned(log: Log) -> Log:
    """Every third row."""
    return Log(log.time_s[::3], {r: v[::3] for r, v in log.channels.items()}, log.name)


VARIANTS: dict[str, Callable[[Log], Log]] = {
    "everything there": lambda log: log,
    "no pulse width": lambda log: without(log, Role.PULSE_WIDTH, Role.DUTY),
    "no pulse width, but duty": lambda log: duty_instead(log),
    "no target": lambda log: without(log, Role.TARGET),
    "no coolant": lambda log: without(log, Role.COOLANT),
    "no long-term trim": lambda log: without(log, Role.LTFT),
    "no short-term trim": lambda log: without(log, Role.STFT),
    "no gear, no speed": lambda log: without(log, Role.GEAR, Role.SPEED),
    "no loop flag": lambda log: without(log, Role.CLOSED_LOOP),
    "rpm, load, throttle, lambda, target, trims": lambda log: without(
        log, *(set(log.channels) - NEEDED)
    ),
    "2 % noise on lambda": noisy,
    "a third of the rows": thinned,
}


def main() -> None:
    """Print one line a variant and case."""
    for case in cases_in(Path(sys.argv[1])):
        for name, change in VARIANTS.items():
            print(f"{case.path.name:16s} {name:44s} {case.figures(change(case.log))}", flush=True)


if __name__ == "__main__":
    main()

"""Quick changes of one class, laid over each other."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.transients.errors import Measured
from lean_trim.core.transients.events import Kind
from lean_trim.core.types import Floats

SIZES_PCT = (15.0, 40.0)
CUTS_S = (1.0, 4.0)
SPEEDS_RPM = (2000.0, 3500.0)
WARM_C = 70.0
"""Where classes part (common practice, no source)."""
SIZES = ("small", "medium", "large")
CUTS = ("short", "middling", "long")


@dataclass(frozen=True)
class ClassKey:
    """What the changes of a class have in common.

    Attributes
    ----------
    kind : what happened.
    size : by throttle moved, or by the length of a cut.
    rpm_from, rpm_to : engine speed, the last one infinite.
    warm : coolant from 70 °C, or not logged.
    """

    kind: Kind
    size: str
    rpm_from: float
    rpm_to: float
    warm: bool


@dataclass(frozen=True, eq=False)
class TransientClass:
    """Changes of one class.

    Attributes
    ----------
    key : what they have in common.
    events : the changes, at least one.
    mean_pct, spread_pct : of their traces, percent, on the grid; NaN where none is known.
    """

    key: ClassKey
    events: tuple[Measured, ...]
    mean_pct: Floats
    spread_pct: Floats

    def mean_of(self, figure: str) -> tuple[float, float]:
        """Mean of a figure of ``Measured`` and its standard error, NaN for one event.

        Returns mean and standard error.
        """
        values = np.array([float(getattr(e, figure)) for e in self.events])
        error = (
            float(values.std(ddof=1) / np.sqrt(len(values))) if len(values) > 1 else float("nan")
        )
        return float(values.mean()), error


def key_of(measured: Measured) -> ClassKey:
    """The class a change belongs to.

    Parameters
    ----------
    measured : a change.

    Returns
    -------
    Its class.
    """
    event = measured.event
    of_cut = event.kind is Kind.AFTER_CUT
    names, edges = (CUTS, CUTS_S) if of_cut else (SIZES, SIZES_PCT)
    speeds = (0.0, *SPEEDS_RPM, float("inf"))
    at = int(np.searchsorted(SPEEDS_RPM, event.rpm, "right"))
    return ClassKey(
        kind=event.kind,
        size=names[int(np.searchsorted(edges, event.size, "right"))],
        rpm_from=speeds[at],
        rpm_to=speeds[at + 1],
        warm=not event.coolant_c < WARM_C,
    )


def classes_of(measured: Sequence[Measured]) -> tuple[TransientClass, ...]:
    """Changes by class: kinds in their order, then size, speed, warm before cold.

    Parameters
    ----------
    measured : of a drive.

    Returns
    -------
    One for each class that was seen.
    """
    groups: dict[ClassKey, list[Measured]] = {}
    for one in measured:
        groups.setdefault(key_of(one), []).append(one)
    kinds = list(Kind)

    def order(key: ClassKey) -> tuple[int, int, float, bool]:
        sizes = CUTS if key.kind is Kind.AFTER_CUT else SIZES
        return kinds.index(key.kind), sizes.index(key.size), key.rpm_from, not key.warm

    out = []
    for key in sorted(groups, key=order):
        traces = np.array([m.error_pct for m in groups[key]])
        with warnings.catch_warnings():
            # Where no event is known there is no mean.
            warnings.simplefilter("ignore", RuntimeWarning)
            out.append(
                TransientClass(
                    key, tuple(groups[key]), np.nanmean(traces, axis=0), np.nanstd(traces, axis=0)
                )
            )
    return tuple(out)

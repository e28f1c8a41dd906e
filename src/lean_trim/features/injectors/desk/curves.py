"""What the injector chart draws, by view: dots of driven places, and lines of flow, dead time and both."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lean_trim.core.injectors.mistaken import asked_by_injectors, by_dead_time, by_flow
from lean_trim.core.pipeline.injectors import InjectorReport
from lean_trim.core.types import Floats

POINTS = 160
LEAST_RANGE_PCT = 4.0
USUAL_V = 13.8


@dataclass(frozen=True, eq=False)
class Line:
    """One line: its name, the theme's colour, whether it is dashed, dotted or solid, and its points."""

    words: str
    purpose: str
    style: str
    y: Floats


@dataclass(frozen=True, eq=False)
class Curves:
    """One view of a report.

    Attributes
    ----------
    head : what it shows.
    across, unit : label of the horizontal axis, unit of the vertical one.
    dots_x, dots_y, seconds : driven places, shape (p,).
    x : of the lines, shape (n,).
    lines : in the order they are drawn.
    low, high : of the vertical axis.
    """

    head: str
    across: str
    unit: str
    dots_x: Floats
    dots_y: Floats
    seconds: Floats
    x: Floats
    lines: tuple[Line, ...]
    low: float
    high: float


def percent_over_open_time(report: InjectorReport) -> Curves:
    """What the drive asks beyond the table."""
    places = report.places
    split = report.split
    x = _along(places.open_ms)
    flow = np.full(POINTS, 100.0 * (by_flow(split) - 1.0))
    dead = 100.0 * (by_dead_time(split, x) - 1.0)
    both = 100.0 * (asked_by_injectors(split, x) - 1.0)
    return _percent(
        report,
        head="Fuel asked beyond the table, a dot a driven place; off the solid line is airflow",
        asked=100.0 * (np.exp(places.y) - 1.0),
        x=x,
        lines=_three(flow, dead, both),
    )


def left_over_open_time(report: InjectorReport) -> Curves:
    """What is left when flow and dead time are written as told."""
    places = report.places
    split = report.split
    left = np.exp(places.y - places.terms @ split.terms) / asked_by_injectors(split, places.open_ms)
    x = _along(places.open_ms)
    return _percent(
        report,
        head="Left once flow and dead time are written: airflow and noise",
        asked=100.0 * (left - 1.0),
        x=x,
        lines=(Line("nothing left", "accent", "solid", np.zeros(POINTS)),),
    )


def required_pulse(report: InjectorReport) -> Curves:
    """Pulse that would have been right, over the one that was commanded."""
    places = report.places
    split = report.split
    injectors = report.solution.prepared.frame.vehicle.injectors
    dead = float(injectors.dead_time_at(USUAL_V))
    open_ms = _along(places.open_ms)
    required = places.open_ms * np.exp(places.y) + dead
    lines = (
        Line("as commanded", "faint", "solid", open_ms + dead),
        *_three(
            open_ms * by_flow(split) + dead,
            open_ms * by_dead_time(split, open_ms) + dead,
            open_ms * asked_by_injectors(split, open_ms) + dead,
        ),
    )
    return Curves(
        head=f"Pulse that would have been right, the sheet's dead time at {USUAL_V:g} V in it",
        across="pulse commanded, ms",
        unit="ms",
        dots_x=places.open_ms + dead,
        dots_y=required,
        seconds=places.seconds,
        x=open_ms + dead,
        lines=lines,
        low=0.0,
        high=float(max(np.percentile(required, 99.0), max(line.y.max() for line in lines))) * 1.03,
    )


def _along(open_ms: Floats) -> Floats:
    return np.linspace(float(open_ms.min()), float(open_ms.max()), POINTS)


def _three(flow: Floats, dead: Floats, both: Floats) -> tuple[Line, ...]:
    return (
        Line("flow alone", "remove", "dashed", flow),
        Line("dead time alone", "add", "dotted", dead),
        Line("both", "accent", "solid", both),
    )


def _percent(
    report: InjectorReport, head: str, asked: Floats, x: Floats, lines: tuple[Line, ...]
) -> Curves:
    places = report.places
    lowest, highest = np.percentile(asked, [1.0, 99.0])
    low = min(float(lowest), *(float(line.y.min()) for line in lines), 0.0) - 1.0
    high = max(float(highest), *(float(line.y.max()) for line in lines), 0.0) + 1.0
    return Curves(
        head=head,
        across="open time the ECU reckons with, ms",
        unit="%",
        dots_x=places.open_ms,
        dots_y=asked,
        seconds=places.seconds,
        x=x,
        lines=lines,
        low=low,
        high=max(high, low + LEAST_RANGE_PCT),
    )


VIEWS: dict[str, Callable[[InjectorReport], Curves]] = {
    "Percent": percent_over_open_time,
    "Pulse": required_pulse,
    "Left over": left_over_open_time,
}
CELLS = "Cells"
"""The view that is a table."""

"""The numbers tiles carry, as text."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.cautions import off_line_pct
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.text import signed
from lean_trim.core.types import Floats
from lean_trim.features.table.figure_names import Figure


@dataclass(frozen=True, eq=False)
class Numbers:
    """What is known of a table's cells; flat arrays but for ``values``, which has its shape.

    Attributes
    ----------
    table, base : as driven on, and what a change is counted from.
    values : as decided now.
    decimals : of the field.
    asked_pct, error_pct, residual_pct, step_pct : percent, NaN where nothing is said.
    seconds : of used driving.
    """

    table: Table
    base: Table
    values: Floats
    decimals: int
    asked_pct: Floats
    error_pct: Floats
    residual_pct: Floats
    step_pct: Floats
    seconds: Floats

    @property
    def seen(self) -> list[bool]:
        """Cells used driving came near."""
        return [bool(s) for s in self.seconds > SEEN_S]


def texts_of(figure: Figure, numbers: Numbers) -> tuple[str, ...]:
    """One text per cell.

    Parameters
    ----------
    figure : which number.
    numbers : of the cells.

    Returns
    -------
    "" where there is nothing to say.
    """
    return WAYS[figure](numbers)


def _values(numbers: Numbers, values: Floats) -> tuple[str, ...]:
    shown = numbers.table.own_of(values).ravel()
    return tuple(f"{v:.{numbers.decimals}f}" for v in shown)


def _changes(numbers: Numbers) -> tuple[str, ...]:
    pct = 100.0 * (numbers.values / numbers.base.values - 1.0).ravel()
    return tuple(signed(x) if x else "" for x in pct.tolist())


def _differences(numbers: Numbers) -> tuple[str, ...]:
    shown = numbers.table.own_of(numbers.values) - numbers.base.own_of(numbers.base.values)
    rounded = np.round(shown.ravel(), numbers.decimals)
    return tuple(signed(x, numbers.decimals) if x else "" for x in rounded.tolist())


def _percents(values: Floats, shown: list[bool]) -> tuple[str, ...]:
    return tuple(
        signed(v) if s and np.isfinite(v) else ""
        for v, s in zip(values.tolist(), shown, strict=True)
    )


def _errors(numbers: Numbers) -> tuple[str, ...]:
    return tuple(
        f"{e:.1f}" if s and np.isfinite(e) else ""
        for e, s in zip(numbers.error_pct.tolist(), numbers.seen, strict=True)
    )


def _seconds(numbers: Numbers) -> tuple[str, ...]:
    return tuple(
        f"{x:.1f}" if s else "" for x, s in zip(numbers.seconds.tolist(), numbers.seen, strict=True)
    )


def _steps(numbers: Numbers) -> tuple[str, ...]:
    return _percents(numbers.step_pct, [bool(x) for x in np.nan_to_num(numbers.step_pct) != 0.0])


def _shapes(numbers: Numbers) -> tuple[str, ...]:
    off = off_line_pct(numbers.table, numbers.values).ravel()
    return tuple(signed(x) for x in off.tolist())


WAYS: Mapping[Figure, Callable[[Numbers], tuple[str, ...]]] = {
    Figure.VALUE: lambda n: _values(n, n.values),
    Figure.BEFORE: lambda n: _values(n, n.table.values),
    Figure.CHANGE: _changes,
    Figure.DIFFERENCE: _differences,
    Figure.ASKED: lambda n: _percents(n.asked_pct, n.seen),
    Figure.ERROR: _errors,
    Figure.STEP: _steps,
    Figure.RESIDUAL: lambda n: _percents(n.residual_pct, [True] * n.table.size),
    Figure.SECONDS: _seconds,
    Figure.SHAPE: _shapes,
}

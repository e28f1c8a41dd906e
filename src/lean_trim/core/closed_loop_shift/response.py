"""What a loop settles at for what a box makes of its oxygen sensor: measured in steps, read both ways.

A narrowband answers an offset in three parts: a dead one in which nothing happens, one that can be used,
and steep ones in which the smallest step the box can make moves λ by more than anybody wants.

References
----------
Protocol and numbers: common practice, no source. Isotonic regression: Barlow et al., *Statistical Inference
under Order Restrictions*, 1972. Monotone cubic: Fritsch and Carlson, SIAM J. Numer. Anal. 17 (1980) 238.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    FEW = Message(
        "shift_response.few",
        "{count} different steps; at least {least} are needed, about 20 are usual",
    )
    RANGE = Message(
        "shift_response.range",
        "at {value:g} V {what} is {number:g}; allowed are {low:g} to {high:g}",
    )
    NOT_MONOTONE = Message(
        "shift_response.not_monotone",
        "at {value:g} V lambda {found:.3f} does not lie between its neighbours' (by {off:.3f}); "
        "hold that step and those beside it again, until lambda and trim stand still",
    )
    NOISY = Message(
        "shift_response.noisy",
        "the steps scatter by {noise:.3f} lambda about any curve that only rises or falls; at most "
        "{most:.3f} can be used. Was the engine warm, the speed held, each step waited for?",
    )
    NOTHING = Message(
        "shift_response.nothing",
        "lambda moves by {span:.3f} over all steps; the box does not reach the loop, or its steps are too "
        "small",
    )
    LEANER = Message(
        "shift_response.leaner",
        "lambda {wanted:.3f} is leaner than the car's own {own:.3f}; a shift is for richer only",
    )
    OUTSIDE = Message(
        "shift_response.outside",
        "lambda {wanted:.3f} is richer than {richest:.3f}, the richest that was measured",
    )
    STEEP = Message(
        "shift_response.steep",
        "lambda {wanted:.3f} lies where one step of the box ({step:g} V) moves lambda by {moves:.3f}; "
        "at most {most:.3f} can be held",
    )


LEAST_STEPS = 5
LAMBDAS = (0.55, 1.3)
TRIMS_PCT = (-60.0, 60.0)
VOLTS = (-5.0, 5.0)
REPEATS = 0.005
"""How well a settled λ repeats (common practice, no source)."""
MOST_OFF = 4.0 * REPEATS
MOST_NOISE = 2.0 * REPEATS
LEAST_SPAN = 0.02
DEAD = 2.0 * REPEATS
"""λ that moves by less over a step has not moved."""
STEEPEST = 0.02
"""λ by which one step of the box may move it: what a wanted λ is to be met within."""
BOX_STEP_V = 0.01


@dataclass(frozen=True)
class Step:
    """One settled step.

    Attributes
    ----------
    value : offset, or the voltage given in the sensor's place, V.
    lambda_ : it settled at, by an independent wideband.
    trim_pct : short-term trim it needed.
    """

    value: float
    lambda_: float
    trim_pct: float


@dataclass(frozen=True)
class Setting:
    """What the box is set to for a wanted λ.

    Attributes
    ----------
    value : V; NaN where refused.
    trim_pct : the loop needs there.
    error : standard deviation of λ about the wanted one.
    refused : why not, None where it can be set.
    """

    value: float
    trim_pct: float
    error: float
    refused: Said | None = None


NO_SETTING = (float("nan"), float("nan"), float("nan"))


@dataclass(frozen=True, eq=False)
class Response:
    """Steps in the order from the car's own λ to the richest, on a curve that never turns back.

    Attributes
    ----------
    value, lambda_, trim_pct : shape (n,).
    own : λ the loop holds by itself.
    noise : standard deviation of the steps about the curve, λ; at least ``REPEATS``.
    box_step : the smallest step the box can make, V.
    """

    value: Floats
    lambda_: Floats
    trim_pct: Floats
    own: float
    noise: float
    box_step: float

    @property
    def richest(self) -> float:
        """Richest λ that was measured."""
        return float(self.lambda_[-1])

    @cached_property
    def moves(self) -> Floats:
        """λ that one step of the box moves, between neighbouring steps, shape (n - 1,)."""
        return np.abs(np.diff(self.lambda_) / np.diff(self.value)) * self.box_step

    @cached_property
    def dead(self) -> np.ndarray:
        """Between which steps nothing happens, from the car's own λ on, shape (n - 1,)."""
        still = np.abs(self.lambda_[1:] - self.own) <= DEAD
        return np.asarray(np.logical_and.accumulate(still))

    @cached_property
    def steep(self) -> np.ndarray:
        """Between which steps λ moves too fast to be held, shape (n - 1,)."""
        return np.asarray(self.moves > STEEPEST)

    @cached_property
    def _curves(self) -> tuple[Any, Any, Floats]:
        """Value and trim over falling λ, of steps that differ in λ; the last of a dead part begins it."""
        from scipy.interpolate import PchipInterpolator

        first = int(np.count_nonzero(self.dead))
        falls = np.concatenate([[True], np.diff(self.lambda_[first:]) < 0.0])
        at = first + np.flatnonzero(falls)
        x = -self.lambda_[at]
        return PchipInterpolator(x, self.value[at]), PchipInterpolator(x, self.trim_pct[at]), x

    def setting_for(self, wanted: float) -> Setting:
        """What to set for a λ.

        Parameters
        ----------
        wanted : λ.

        Returns
        -------
        The setting; refused where the λ is leaner than the car's own, richer than was measured, or where
        λ moves too fast.
        """
        if wanted > self.own + REPEATS:
            return Setting(*NO_SETTING, refused=Say.LEANER(wanted=wanted, own=self.own))
        if wanted >= self.own - REPEATS:
            at = int(np.argmin(np.abs(self.lambda_ - self.own)))
            return Setting(float(self.value[at]), float(self.trim_pct[at]), self.noise)
        if wanted < self.richest - REPEATS:
            return Setting(*NO_SETTING, refused=Say.OUTSIDE(wanted=wanted, richest=self.richest))
        clipped = max(wanted, self.richest)
        # At a step that was measured the box may err to the side that moves less.
        inside = (self.lambda_[1:] <= clipped) & (clipped <= self.lambda_[:-1])
        moves = float(self.moves[inside & ~self.dead].min())
        if moves > STEEPEST:
            said = Say.STEEP(wanted=wanted, step=self.box_step, moves=moves, most=STEEPEST)
            return Setting(*NO_SETTING, refused=said)
        value, trim, _ = self._curves
        # Steps stand between two readings; the curve between them is anybody's within a part of their gap.
        straight = float(np.interp(-clipped, -self.lambda_, self.value))
        set_to = float(value(-clipped))
        slope = moves / self.box_step
        between = abs(set_to - straight) * slope
        rounding = moves / np.sqrt(12.0)
        error = float(np.sqrt(self.noise**2 + rounding**2 + between**2))
        return Setting(set_to, float(trim(-clipped)), error)


def respond(
    steps: Sequence[Step], box_step: float = BOX_STEP_V, own: float = float("nan")
) -> Response:
    """The response from settled steps.

    Parameters
    ----------
    steps : in any order; repeated ones are averaged.
    box_step : smallest step of the box, V, above 0.
    own : λ the loop holds by itself; NaN takes that at 0 V, else 1.

    Returns
    -------
    The response.

    Raises
    ------
    BadInputError
        If there are too few steps, one cannot be, or they follow no curve that only rises or falls.
    """
    _check(steps)
    value = np.unique([s.value for s in steps])
    if len(value) < LEAST_STEPS:
        raise BadInputError(Say.FEW(count=len(value), least=LEAST_STEPS))
    groups = [[s for s in steps if s.value == v] for v in value]
    lam = np.array([np.mean([s.lambda_ for s in g]) for g in groups])
    trim = np.array([np.mean([s.trim_pct for s in g]) for g in groups])
    if float(np.ptp(lam)) < LEAST_SPAN:
        raise BadInputError(Say.NOTHING(span=float(np.ptp(lam))))
    smooth = _monotone(lam, np.array([len(g) for g in groups], float))
    off = np.abs(lam - smooth)
    worst = int(np.argmax(off))
    if off[worst] > MOST_OFF:
        raise BadInputError(
            Say.NOT_MONOTONE(value=value[worst], found=lam[worst], off=float(off[worst]))
        )
    noise = float(np.sqrt(np.mean(off**2)))
    if noise > MOST_NOISE:
        raise BadInputError(Say.NOISY(noise=noise, most=MOST_NOISE))
    if not np.isfinite(own):
        own = float(smooth[value == 0.0][0]) if (value == 0.0).any() else 1.0
    # From the car's own λ to the richest; steps that lean the engine are no part of a shift.
    order = np.argsort(-smooth, kind="stable")
    if smooth[0] < smooth[-1]:
        order = order[::-1][np.argsort(-smooth[order[::-1]], kind="stable")]
    order = order[smooth[order] <= own + DEAD]
    if len(order) < LEAST_STEPS:
        raise BadInputError(Say.FEW(count=len(order), least=LEAST_STEPS))
    return Response(
        value=value[order],
        lambda_=smooth[order],
        trim_pct=trim[order],
        own=own,
        noise=max(noise, REPEATS),
        box_step=box_step,
    )


def _check(steps: Sequence[Step]) -> None:
    for step in steps:
        for what, number, (low, high) in (
            ("the value", step.value, VOLTS),
            ("lambda", step.lambda_, LAMBDAS),
            ("the trim", step.trim_pct, TRIMS_PCT),
        ):
            if not low <= number <= high:
                raise BadInputError(
                    Say.RANGE(value=step.value, what=what, number=number, low=low, high=high)
                )


def _monotone(lam: Floats, weights: Floats) -> Floats:
    """The nearest values that only rise, or only fall, whichever is nearer."""
    from scipy.optimize import isotonic_regression

    ways = [isotonic_regression(lam, weights=weights, increasing=up).x for up in (True, False)]
    return np.asarray(min(ways, key=lambda x: float(np.sum(weights * (x - lam) ** 2))))

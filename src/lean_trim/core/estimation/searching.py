"""Two small searches for the lowest point of a function: along a line, and over a few parameters.

Written here because the package that has them takes half a second to import, longer than a whole
solve.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lean_trim.core.types import Floats

GOLDEN = float(0.5 * (np.sqrt(5.0) - 1.0))
"""The golden section, by which an interval is narrowed."""


def lowest_between(cost: Callable[[float], float], low: float, high: float, within: float) -> float:
    """Where a function with one dip between two points is lowest (golden-section search, Kiefer 1953).

    Parameters
    ----------
    cost : of one number.
    low, high : ends of the search, low < high.
    within : width of the bracket that ends it, > 0.

    Returns
    -------
    The better of the last two points looked at.
    """
    left = high - GOLDEN * (high - low)
    right = low + GOLDEN * (high - low)
    of_left = cost(left)
    of_right = cost(right)
    while high - low > within:
        if of_left <= of_right:
            high = right
            right = left
            of_right = of_left
            left = high - GOLDEN * (high - low)
            of_left = cost(left)
        else:
            low = left
            left = right
            of_left = of_right
            right = low + GOLDEN * (high - low)
            of_right = cost(right)
    return left if of_left <= of_right else right


def lowest_near(
    cost: Callable[[Floats], float], corners: Floats, within: float, flat: float, most: int
) -> Floats:
    """Where a function of a few parameters is lowest (simplex search, Nelder and Mead 1965, from memory).

    Parameters
    ----------
    cost : of an array of n numbers.
    corners : first simplex, (n + 1, n).
    within, flat : size of the simplex, and spread of its costs, that end the search together.
    most : calls of ``cost`` after which it ends anyway.

    Returns
    -------
    The best point found, shape (n,).
    """
    points = np.array(corners, float)
    values = np.array([cost(p) for p in points])
    calls = len(values)
    while True:
        order = np.argsort(values, kind="stable")
        points = points[order]
        values = values[order]
        small = np.max(np.abs(points[1:] - points[0])) <= within
        if calls >= most or (small and values[-1] - values[0] <= flat):
            return np.asarray(points[0], np.float64)
        centre = points[:-1].mean(axis=0)
        away = centre - points[-1]
        trial = centre + away
        value = cost(trial)
        calls += 1
        if value < values[0]:
            further = centre + 2.0 * away
            of_further = cost(further)
            calls += 1
            if of_further < value:
                trial = further
                value = of_further
        elif value >= values[-2]:
            inside = centre + (0.5 if value < values[-1] else -0.5) * away
            of_inside = cost(inside)
            calls += 1
            if of_inside >= min(value, values[-1]):
                # Nothing on that line is better: everything moves towards the best corner.
                points[1:] = points[0] + 0.5 * (points[1:] - points[0])
                values[1:] = [cost(p) for p in points[1:]]
                calls += len(points) - 1
                continue
            trial = inside
            value = of_inside
        points[-1], values[-1] = trial, value

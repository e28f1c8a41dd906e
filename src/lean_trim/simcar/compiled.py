"""How the simulated car is compiled, and the look-up in its book of tables.

Numba keeps compiled code by file and does not see what was changed in another one that it calls: after
a change here, or in ``laws`` or ``numbers``, the stepper's file has to be saved again. The test that
holds it against the readable car fails where that was forgotten.
"""

from __future__ import annotations

from numba import njit

from lean_trim.core.types import Floats

compiled = njit(cache=True, nogil=True, error_model="numpy")


@compiled
def look_up(book: Floats, place: int, y: float, x: float) -> float:
    """Value of a table at a point, linear between the points, held past the ends; a curve ignores ``x``."""
    ny = int(book[place])
    nx = int(book[place + 1])
    rows = place + 2
    columns = rows + ny
    cells = columns + nx
    j, v = locate(book, rows, ny, y)
    if nx == 0:
        return book[cells + j] + v * (book[cells + j + 1] - book[cells + j])
    i, u = locate(book, columns, nx, x)
    low = cells + j * nx + i
    high = low + nx
    a = book[low] + u * (book[low + 1] - book[low])
    b = book[high] + u * (book[high + 1] - book[high])
    return a + v * (b - a)


@compiled
def locate(book: Floats, begin: int, n: int, x: float) -> tuple[int, float]:
    """Lower index and fraction on an axis of ``n`` points, clamped to it."""
    if x <= book[begin]:
        return 0, 0.0
    if x >= book[begin + n - 1]:
        return n - 2, 1.0
    low = 0
    high = n - 1
    while high - low > 1:
        middle = (low + high) // 2
        if book[begin + middle] <= x:
            low = middle
        else:
            high = middle
    left = book[begin + low]
    return low, (x - left) / (book[begin + low + 1] - left)

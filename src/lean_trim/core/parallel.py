"""Independent work along a long log on two threads; the compiled loops do not hold the interpreter."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from typing import TypeVar

Result = TypeVar("Result")
MANY = 50_000
THREADS = 2
"""Samples from which a second thread pays, and how many threads are used."""


def run_parallel(samples: int, works: Sequence[Callable[[], Result]]) -> list[Result]:
    """Results of all works in their order; on one thread for logs shorter than ``MANY`` samples.

    Parameters
    ----------
    samples : length of the log the works go along; decides whether a second thread pays.
    works : independent of each other.

    Returns
    -------
    The results, in the order of the works.
    """
    if samples < MANY:
        return [work() for work in works]
    # Each work runs in the caller's context, so that NumPy's error state holds there too.
    with ThreadPoolExecutor(THREADS) as pool:
        return list(
            pool.map(lambda part: part[0].run(part[1]), [(copy_context(), work) for work in works])
        )

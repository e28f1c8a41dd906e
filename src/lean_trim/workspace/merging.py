"""A change that waited, made on what has become of the job meanwhile."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

import numpy as np


def merged(before: Any, after: Any, present: Any) -> Any:
    """What is present, with the difference between two records made on it.

    What the change did not touch stays as it is now; what it touched is as the change wants it.
    Arrays are taken cell by cell, records and mappings entry by entry, sets and tuples member by
    member.

    Parameters
    ----------
    before, after : a record as it was when the change was made, and as it was to be.
    present : the record as it is now.

    Returns
    -------
    A record of the same kind.
    """
    if before is present:
        return after
    if isinstance(after, np.ndarray):
        return _merged_cells(before, after, present)
    if type(before) is type(after) is type(present) and is_dataclass(after):
        changed = {
            f.name: merged(
                getattr(before, f.name), getattr(after, f.name), getattr(present, f.name)
            )
            for f in fields(after)
        }
        return replace(present, **changed)
    if all(isinstance(x, Mapping) for x in (before, after, present)):
        return _merged_entries(before, after, present)
    if all(isinstance(x, frozenset) for x in (before, after, present)):
        return (present - (before - after)) | (after - before)
    if all(isinstance(x, tuple) for x in (before, after, present)):
        gone = [x for x in before if x not in after]
        new = [x for x in after if x not in before and x not in present]
        return (*(x for x in present if x not in gone), *new)
    return after if before != after else present


def _merged_cells(before: Any, after: Any, present: Any) -> Any:
    same_shape = all(
        isinstance(x, np.ndarray) and x.shape == after.shape for x in (before, present)
    )
    return np.where(before != after, after, present) if same_shape else after


def _merged_entries(before: Any, after: Any, present: Any) -> dict[Any, Any]:
    out = {key: value for key, value in present.items() if key in after or key not in before}
    for key, value in after.items():
        if key in before and key in present:
            out[key] = merged(before[key], value, present[key])
        # Taken out meanwhile, it stays out, unless the change is about just this entry.
        elif key not in before or value is not before[key]:
            out[key] = value
    return out

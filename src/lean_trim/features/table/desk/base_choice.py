"""The tables of a job that the decided one can be held against."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trim.core.data.tables import Table
from lean_trim.job.records import Job, Round


@dataclass(frozen=True, eq=False)
class Base:
    """A table to compare with.

    Attributes
    ----------
    key : "driven 2" or "decided 1".
    words : for people.
    table : on the axes of the shown one.
    """

    key: str
    words: str
    table: Table


def bases_of(job: Job, current: Round) -> tuple[Base, ...]:
    """What the decided table of a round can be held against, the one it was driven on first.

    Parameters
    ----------
    job : of the round.
    current : the round that is shown.

    Returns
    -------
    Driven and decided tables of this round and those before it, as far as they have its axes; a table
    that was driven as it was decided stands there once.
    """
    found = [Base(f"driven {current.number}", "as driven here", current.table)]
    for earlier in reversed([r for r in job.rounds if r.number < current.number]):
        if earlier.subject != current.subject:
            continue
        number = earlier.number
        # What was decided is what the next round drove; it differs where it was driven on otherwise.
        for key, words, table in (
            (f"decided {number}", f"as decided in round {number}", earlier.result_as_driven),
            (f"driven {number}", f"as driven in round {number}", earlier.table),
        ):
            if table.same_axes(current.table) and not _is_there(found, table):
                found.append(Base(key, words, table))
    return tuple(found)


def _is_there(found: list[Base], table: Table) -> bool:
    return any(bool((base.table.values == table.values).all()) for base in found)

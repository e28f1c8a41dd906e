"""The steps of a shift test as a table: what the box was set to, lambda and trim it settled at."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lean_trim.core.closed_loop_shift.response import Step
from lean_trim.core.closed_loop_shift.settled_steps import settled_steps
from lean_trim.core.data.channels import Role
from lean_trim.core.data.placing import place
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.logs import read_raw
from lean_trim.formats.meaning.channel_map import map_channels
from lean_trim.formats.tables.block import block_of_file


class Say:
    """Sentences of this module."""

    NO_COLUMN = Message("shift_steps.no_column", "{path}: no column {name!r}; it has {names}")
    DOUBT = Message("shift_steps.doubt", "{path}: {doubt}")
    LACKS = Message(
        "shift_steps.lacks", "{path}: the test needs lambda and the short-term trim beside {name!r}"
    )
    NOT_IN_ROWS = Message(
        "shift_steps.not_in_rows",
        "{path}: {name!r} has other rows than lambda; write it as CSV first",
    )

    HEADS = Message(
        "shift_steps.heads",
        "{path}: the first row has to name the columns: offset or voltage (V), lambda or AFR, trim (%)",
    )
    NOT_A_NUMBER = Message(
        "shift_steps.not_a_number", "{path}, line {line}: a step has three numbers"
    )


VALUE = ("offset", "volt", "spannung")
LAMBDA = ("lambda", "λ")
AFR = ("afr",)
TRIM = ("trim", "stft")


def read_steps(path: Path, stoich_afr: float) -> list[Step]:
    """Read settled steps.

    Parameters
    ----------
    path : text or a workbook; one row names the columns.
    stoich_afr : of the fuel, for a column of AFR.

    Returns
    -------
    In the order of the file.

    Raises
    ------
    BadInputError
        If a column is missing, or a row holds no number.
    """
    block = block_of_file(path)
    heads = [cell.lower() for cell in block.rows[0]]

    def column(words: tuple[str, ...]) -> int:
        return next((i for i, head in enumerate(heads) if any(w in head for w in words)), -1)

    afr = column(AFR)
    places = (column(VALUE), max(column(LAMBDA), afr), column(TRIM))
    if min(places) < 0:
        raise BadInputError(Say.HEADS(path=path))
    steps = []
    for numbers, line in zip(block.numbers[1:, list(places)], block.lines[1:], strict=True):
        if not np.isfinite(numbers).all():
            raise BadInputError(Say.NOT_A_NUMBER(path=path, line=line))
        value, mixture, trim = (float(n) for n in numbers)
        steps.append(Step(value, mixture / stoich_afr if column(LAMBDA) < 0 else mixture, trim))
    return steps


def steps_in_log(path: Path, name: str, stoich_afr: float) -> list[Step]:
    """Find the settled steps of a test in a log.

    Parameters
    ----------
    path : of any known kind, in which lambda and short-term trim are clear.
    name : of the column that holds what the box was set to, V.
    stoich_afr : of the fuel.

    Returns
    -------
    In the order of the drive.

    Raises
    ------
    BadInputError
        If a column is missing, or in doubt.
    """
    raw = read_raw(path)
    column = next((c for c in raw.columns if c.name == name), None)
    if column is None:
        names = ", ".join(c.name for c in raw.columns)
        raise BadInputError(Say.NO_COLUMN(path=path, name=name, names=names))
    if column.index not in raw.values:
        raise BadInputError(Say.NOT_IN_ROWS(path=path, name=name))
    mapped = map_channels(raw, path.name, stoich_afr)
    for match in mapped.matches:
        if match.role in (Role.LAMBDA, Role.STFT) and match.doubt:
            raise BadInputError(Say.DOUBT(path=path, doubt=match.doubt))
    log = mapped.log
    if Role.LAMBDA not in log or Role.STFT not in log:
        raise BadInputError(Say.LACKS(path=path, name=name))
    value = raw.values[column.index]
    if raw.times:
        # Held between its readings, as a gear is: a box steps.
        value, _ = place(raw.times[column.group], value, log.time_s, Role.GEAR)
    if len(value) != len(log):
        raise BadInputError(Say.NOT_IN_ROWS(path=path, name=name))
    return settled_steps(log.time_s, value, log[Role.LAMBDA], log[Role.STFT])

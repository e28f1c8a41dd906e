"""What the user said about the columns of a log, remembered for later logs of the same shape."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from lean_trim.core.data.channels import Role
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import Column


class Say:
    """Sentences of this module."""

    SAME_VOLTAGE = Message(
        "choices.same_voltage", "{text!r}: the two points of a scale need different voltages"
    )


Banks = Literal["mean", "1", "2"]


@dataclass(frozen=True)
class ColumnChoice:
    """The user's word on one column: its role (None: not used) and its unit ("" leaves it to the reader)."""

    role: Role | None
    unit: str = ""


@dataclass(frozen=True)
class Choices:
    """What the user said about a log.

    Attributes
    ----------
    columns : by column name.
    banks : what to do with two banks.
    time : the column that is the time, "" leaves it to the reader.
    time_unit : its unit, "" leaves it to the reader.
    rate_hz : rows a second of a log without a time, 0 if not said.
    baro_kpa : barometer of the drive, 0 if not said.
    """

    columns: Mapping[str, ColumnChoice] = field(default_factory=dict)
    banks: Banks = "mean"
    time: str = ""
    time_unit: str = ""
    rate_hz: float = 0.0
    baro_kpa: float = 0.0

    @property
    def said_anything(self) -> bool:
        """True if the user settled something."""
        return self != Choices()


def shape_of(columns: Sequence[Column]) -> str:
    """A key for logs that have the same columns, whatever their order.

    Returns 24 hexadecimal digits.
    """
    text = "\n".join(sorted(f"{c.name}|{c.unit}" for c in columns))
    return hashlib.sha256(text.encode()).hexdigest()[:24]


_SCALE = re.compile(
    r"\s*([\d.,]+)\s*V?\s*=\s*([\d.,]+)\s*(λ|AFR)?\s*[,;]\s*([\d.,]+)\s*V?\s*=\s*([\d.,]+)\s*(λ|AFR)?\s*",
    re.IGNORECASE,
)


def two_point_scale(text: str) -> tuple[float, float, float, float] | None:
    """Volts and values of a text such as "0 V = 0.68, 5 V = 1.36"; None if it is no scale.

    Parameters
    ----------
    text : what the user typed for a unit.

    Returns
    -------
    First volts and value, second volts and value; or None.

    Raises
    ------
    BadInputError
        If both points have the same voltage.
    """
    found = _SCALE.fullmatch(text)
    if not found:
        return None
    v0, x0, v1, x1 = (float(found[i].replace(",", ".")) for i in (1, 2, 4, 5))
    if v0 == v1:
        raise BadInputError(Say.SAME_VOLTAGE(text=text))
    return v0, x0, v1, x1

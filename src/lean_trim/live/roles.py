"""What the channels of running sources mean: roles and units, learned from what was recorded so far."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.placing import place
from lean_trim.core.types import Floats
from lean_trim.formats.meaning.match import MappedLog, Match
from lean_trim.formats.recording.frames import Stream
from lean_trim.live.source import Reading

LEAST_ROWS = 20
SAME = 1e-6
"""By how much of its span a reading may miss a straight line through all of them."""
SURE = "sure"


@dataclass(frozen=True)
class Meaning:
    """What a channel means.

    Attributes
    ----------
    role : it plays.
    factor, offset : from its numbers to the role's unit.
    proven : whether engine physics, its standard or the user's word bear it out.
    """

    role: Role
    factor: float
    offset: float
    proven: bool


Meanings = Mapping[tuple[Stream, int], Meaning]
"""By stream and place in it."""


@dataclass(frozen=True)
class RoleSample:
    """A reading of a role in its own unit, at a time by the session's clock."""

    role: Role
    time_s: float
    value: float
    proven: bool = True


def meanings_of(
    mapped: MappedLog, places: Sequence[tuple[int, int]], streams: Mapping[int, Stream]
) -> Meanings:
    """Meanings from a log that was recorded and understood.

    A channel counts where its role's numbers are a straight line of its own; any other reading (a code, a
    status) is not followed live.

    Parameters
    ----------
    mapped : the recording so far, as it was understood.
    places : of each of its columns the stream's number and the place in it.
    streams : by number.

    Returns
    -------
    Of every channel that plays a role, alone or as one of two banks.
    """
    out: dict[tuple[Stream, int], Meaning] = {}
    for match in mapped.matches:
        line = _line(mapped, match) if match.role in mapped.log.channels else None
        if line is None:
            continue
        for column in match.columns:
            number, at = places[column.index]
            out[streams[number], at] = Meaning(match.role, *line, match.sureness == SURE)
    return out


def _line(mapped: MappedLog, match: Match) -> tuple[float, float] | None:
    """Factor and offset from a column's numbers to its role's; None where they are no straight line.

    Of two banks the role is the mean, and both have the same unit: it is the line of their mean.
    """
    banks = []
    for column in match.columns:
        read = mapped.raw.values.get(column.index)
        times = mapped.raw.times.get(column.group)
        if read is None or times is None:
            return None
        known = np.isfinite(read)
        banks.append(place(times[known], read[known], mapped.log.time_s, match.role)[0])
    own = np.mean(banks, axis=0)
    role = mapped.log[match.role]
    both = np.isfinite(own) & np.isfinite(role)
    if int(both.sum()) < LEAST_ROWS:
        return None
    return straight_line(own[both], role[both])


def straight_line(x: Floats, y: Floats) -> tuple[float, float] | None:
    """The line on which all points lie; None where there is none.

    Parameters
    ----------
    x, y : shape (n,), finite.

    Returns
    -------
    Factor and offset. Where nothing moves only equal numbers tell: then it is 1 and 0.
    """
    low, high = int(np.argmin(x)), int(np.argmax(x))
    span = float(x[high] - x[low])
    if span == 0.0:
        return (1.0, 0.0) if np.allclose(x, y) else None
    factor = float(y[high] - y[low]) / span
    offset = float(y[low]) - factor * float(x[low])
    size = max(float(np.ptp(y)), SAME)
    # Between fuel and none a line is not drawn, so a few rows may differ.
    missed = np.abs(factor * x + offset - y) > SAME * size + SAME
    return (factor, offset) if float(np.mean(missed)) < 0.01 else None


class Following:
    """Follows roles through readings; of two banks the leaner λ counts, and the mean of anything else.

    A role of two banks is as old as the older of their readings: a sensor that goes silent is not
    covered by the other one.

    Parameters
    ----------
    meanings : of channels.
    """

    def __init__(self, meanings: Meanings) -> None:
        self.meanings = meanings
        places: dict[Role, list[tuple[Stream, int]]] = {}
        for at, meaning in meanings.items():
            places.setdefault(meaning.role, []).append(at)
        self._banks = {role: ats for role, ats in places.items() if len(ats) > 1}
        self._newest: dict[tuple[Stream, int], tuple[float, float]] = {}

    @property
    def two_banks(self) -> bool:
        """Whether λ is heard of two banks."""
        return Role.LAMBDA in self._banks

    def samples_of(self, readings: Iterable[Reading]) -> Iterator[RoleSample]:
        """Readings as samples of roles, in their order; what means nothing is passed over.

        Parameters
        ----------
        readings : as they came.

        Yields
        ------
        Samples with a finite value.
        """
        for reading in readings:
            for at, value in enumerate(reading.values):
                meaning = self.meanings.get((reading.stream, at))
                if meaning is None or value != value:
                    continue
                told = value * meaning.factor + meaning.offset
                time_s = reading.time_s
                if meaning.role in self._banks:
                    self._newest[reading.stream, at] = (time_s, told)
                    both = self._of_banks(meaning.role)
                    if both is None:
                        continue
                    time_s, told = both
                yield RoleSample(meaning.role, time_s, told, meaning.proven)

    def _of_banks(self, role: Role) -> tuple[float, float] | None:
        """Time and value of a role of two banks; None before both were heard."""
        found = [self._newest[at] for at in self._banks[role] if at in self._newest]
        if len(found) < len(self._banks[role]):
            return None
        values = [value for _, value in found]
        told = max(values) if role is Role.LAMBDA else sum(values) / len(values)
        return min(time_s for time_s, _ in found), told

"""A drive log: one time base and named channels in the computation's units."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role, in_words
from lean_trim.core.data.update_marks import update_mask
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    TOO_SHORT = Message("log.too_short", "{name} has {size} samples; at least 2 are needed")
    NO_TIME = Message("log.no_time", "{name}: no time in sample {row}; every sample needs a time")
    TIME_BACKWARDS = Message(
        "log.time_backwards", "{name}: time runs backwards after sample {sample} ({time:.3f} s)"
    )
    NO_CHANNEL = Message("log.no_channel", "{name} has no channel for {label} ({role})")
    LACKS_CHANNELS = Message(
        "log.lacks_channels", "{name} lacks {missing}; log it, or name the column that holds it"
    )
    LENGTHS_DIFFER = Message(
        "log.lengths_differ", "{name}: {role} has {size} samples, time has {count}"
    )


SHORTEST_STEP_S = 1e-3
"""Taken for a log that has no step at all, s."""


@dataclass(frozen=True, eq=False)
class Log:
    """One continuous log.

    ``time_s`` has shape (n,), n >= 2, and never runs backwards; each channel has shape (n,), NaN
    where nothing was recorded. ``joints_s`` are times at which another recording begins; no rule
    reaches across the gap there. ``updates`` marks the rows with a new reading for channels known
    to be slower than the rows.

    Raises
    ------
    LogError
        If the log is empty, the time base is not usable or a channel has another length.
    """

    time_s: Floats
    channels: Mapping[Role, Floats]
    name: str = field(default="log")
    joints_s: tuple[float, ...] = field(default=())
    updates: Mapping[Role, Mask] = field(default_factory=dict)

    def __post_init__(self) -> None:
        time = np.asarray(self.time_s, float)
        if time.ndim != 1 or len(time) < 2:
            raise LogError(Say.TOO_SHORT(name=self.name, size=time.size))
        if not np.isfinite(time).all():
            row = int(np.flatnonzero(~np.isfinite(time))[0]) + 1
            raise LogError(Say.NO_TIME(name=self.name, row=row))
        # Equal times are let through: clocks are coarser than rows in many logs.
        back = np.flatnonzero(np.diff(time) < 0)
        if len(back):
            raise LogError(
                Say.TIME_BACKWARDS(name=self.name, sample=back[0] + 1, time=time[back[0]])
            )
        for role, values in self.channels.items():
            if np.shape(values) != time.shape:
                raise LogError(
                    Say.LENGTHS_DIFFER(
                        name=self.name, role=role, size=np.size(values), count=len(time)
                    )
                )

    def __getstate__(self) -> dict[str, object]:
        """What was recorded; not what has been worked out from it since."""
        return {f.name: getattr(self, f.name) for f in fields(self)}

    def __len__(self) -> int:
        return len(self.time_s)

    def __contains__(self, role: Role) -> bool:
        return role in self.channels

    def __getitem__(self, role: Role) -> Floats:
        if role not in self.channels:
            raise LogError(Say.NO_CHANNEL(name=self.name, label=in_words(role), role=role))
        return self.channels[role]

    def get(self, role: Role, default: float = np.nan) -> Floats:
        """The channel, or a constant array where it was not logged.

        Parameters
        ----------
        role : a channel that may not have been logged.
        default : stands in for one that was not.

        Returns
        -------
        Shape (n,); NaN where nothing was recorded.
        """
        return self.channels[role] if role in self.channels else np.full(len(self), default)

    def require(self, roles: Iterable[Role]) -> None:
        """Raise LogError naming every missing channel.

        Raises LogError naming every one that was not logged.
        """
        missing = [f"{in_words(r)} ({r})" for r in roles if r not in self.channels]
        if missing:
            raise LogError(Say.LACKS_CHANNELS(name=self.name, missing=", ".join(missing)))

    def update_mask(self, role: Role) -> Mask:
        """Rows that hold a new reading of a channel: as recorded, else inferred from repeated values.

        Returns true on rows that hold a new reading, shape (n,).
        """
        return self.updates[role] if role in self.updates else update_mask(self[role])

    @cached_property
    def step_s(self) -> float:
        """Median time between samples, s."""
        return typical_step_s(self.time_s)

    @property
    def durations_s(self) -> Floats:
        """Time each sample stands for, s; a gap counts as one ordinary step."""
        out = np.empty(len(self.time_s))
        # Three steps may be a lost row or two; beyond that nobody knows what the engine did.
        np.minimum(np.diff(self.time_s), 3.0 * self.step_s, out=out[:-1])
        out[-1] = self.step_s
        return out

    @property
    def duration_s(self) -> float:
        """From the first to the last sample, s."""
        return float(self.time_s[-1] - self.time_s[0])


def concatenate(logs: Iterable[Log], name: str = "log") -> Log:
    """Put pieces of one drive in order; channels missing in a piece become NaN there.

    Parameters
    ----------
    logs : pieces in the order they were recorded, at least one.
    name : of the whole.

    Returns
    -------
    One log; joints of the pieces are kept.
    """
    pieces = list(logs)
    roles = sorted({r for p in pieces for r in p.channels})
    # Marks of one piece make marks of all, else its held values would count as readings.
    slow = {r for p in pieces for r in p.updates}
    time = np.concatenate([p.time_s for p in pieces])
    updates = {
        r: np.concatenate([p.update_mask(r) if r in p else np.zeros(len(p), bool) for p in pieces])
        for r in slow
    }
    joints = tuple(j for p in pieces for j in p.joints_s)
    return Log(
        time, {r: np.concatenate([p.get(r) for p in pieces]) for r in roles}, name, joints, updates
    )


def rate_per_s(time_s: Floats, values: Floats, over_s: float) -> Floats:
    """Slope of a straight line fitted over a centred window, in units per second.

    A fitted slope instead of a difference keeps sensor noise out. Shape (n,); NaN samples count as
    the mean.

    Parameters
    ----------
    time_s : shape (n,), rising, s.
    values : shape (n,), in any unit.
    over_s : width of the window, s, > 0.

    Returns
    -------
    Unit of the values per second, shape (n,).
    """
    from lean_trim.core.kernels.log_loops import fill, mean_of_finite, slope

    values = as_loop(values)
    mean, whole = mean_of_finite(values)
    return slope(
        values if whole else fill(values, mean), as_loop(time_s), half_window(time_s, over_s)
    )


def half_window(time_s: Floats, over_s: float) -> int:
    """Samples on either side that make up a window of ``over_s``, at least 1.

    Parameters
    ----------
    time_s : shape (n,), s.
    over_s : width of the whole window, s.

    Returns
    -------
    Number of samples.
    """
    return max(1, round(over_s / max(typical_step_s(time_s), 1e-6) / 2))


def typical_step_s(time_s: Floats) -> float:
    """Median step of a time base, s, from at most about 8000 of its steps.

    The mean one where most times are repeated.

    Parameters
    ----------
    time_s : shape (n,), n >= 2, s.

    Returns
    -------
    Seconds, > 0.
    """
    at = np.arange(0, len(time_s) - 1, max(1, len(time_s) // 8192))
    median = float(np.median(time_s[at + 1] - time_s[at]))
    mean = float(time_s[-1] - time_s[0]) / max(len(time_s) - 1, 1)
    # The median is zero where a coarse clock repeats most times.
    return median or mean or SHORTEST_STEP_S


def extend_mask(mask: Mask, time_s: Floats, before_s: float, after_s: float) -> Mask:
    """Extend every True sample by a hold-off before and after it (seconds, >= 0).

    Parameters
    ----------
    mask : shape (n,).
    time_s : shape (n,), rising, s.
    before_s, after_s : hold-off on either side, s, >= 0.

    Returns
    -------
    The extended mask, shape (n,).
    """
    from lean_trim.core.kernels.log_loops import hold_off

    if not mask.any():
        return np.zeros(len(mask), bool)
    return hold_off(np.ascontiguousarray(mask), as_loop(time_s), float(before_s), float(after_s))


def running_box(values: Floats, time_s: Floats, over_s: float) -> Floats:
    """Running mean over a centred window, shape (n,), the ends repeated.

    Parameters
    ----------
    values : shape (n,), finite.
    time_s : shape (n,), s.
    over_s : width of the window, s, > 0.

    Returns
    -------
    The mean at every sample, shape (n,).
    """
    from lean_trim.core.kernels.log_loops import box_mean

    return box_mean(as_loop(values), half_window(time_s, over_s))


def as_loop(values: NDArray[np.generic]) -> Floats:
    """The array as compiled loops take it: contiguous float64.

    Parameters
    ----------
    values : numbers of any kind, shape (n,).

    Returns
    -------
    The same numbers; the array itself where it is so already.
    """
    return np.ascontiguousarray(values, np.float64)


def fill_missing(values: Floats, instead: float = 0.0) -> Floats:
    """The values with a number where there is none (NaN or infinite), shape (n,).

    The array itself if nothing is missing.

    Parameters
    ----------
    values : shape (n,).
    instead : stands where there is no number.

    Returns
    -------
    Finite throughout, shape (n,).
    """
    from lean_trim.core.kernels.log_loops import fill, mean_of_finite

    values = as_loop(values)
    return values if mean_of_finite(values)[1] else fill(values, instead)

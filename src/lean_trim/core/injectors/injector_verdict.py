"""What a split is worth: what was told, what was not, why, and the drive that would settle it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.fuel_supply import Supply
from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import Split
from lean_trim.core.injectors.small_pulses import SmallPulses
from lean_trim.core.injectors.voltage import VoltageSlope
from lean_trim.core.messages import Message, Said


class Say:
    """Sentences of this module."""

    FLOW = Message(
        "injector_verdict.flow",
        "Flow: true is {scale:.3f} × the sheet's, ± {error:.1f} % (one standard error).",
    )
    FLOW_BY_TRUST = Message(
        "injector_verdict.flow_by_trust",
        "Flow cannot be told from the table's level: it is trusted to ± {trust:.1f} %, above "
        "{most:g} %. Weigh the fuel of a drive, have an injector measured, or say how good the "
        "table is.",
    )
    FLOW_UNSURE = Message(
        "injector_verdict.flow_unsure", "Flow is only known to ± {error:.1f} %; {drive}."
    )
    DEAD = Message(
        "injector_verdict.dead", "Dead time: true is the sheet's {shift:+.3f} ms, ± {error:.3f} ms."
    )
    DEAD_UNSURE = Message(
        "injector_verdict.dead_unsure", "The dead time is only known to ± {error:.3f} ms; {drive}."
    )
    SHORT = Message(
        "injector_verdict.short",
        "drive idle and light cruise at open times below {ms:.1f} ms for two minutes",
    )
    LONG = Message(
        "injector_verdict.long", "drive ten seconds of load above {ms:.1f} ms of open time"
    )
    MORE = Message("injector_verdict.more", "a longer drive from idle to load would tell more")
    WORD_BACK = Message(
        "injector_verdict.word_back",
        "The table was trusted to ± {trust:.1f} %, but its shape is off by {shape:.1f} %; it was "
        "reckoned with that.",
    )
    REGULATOR = Message(
        "injector_verdict.regulator",
        "First the fuel pressure: the rail follows the manifold by {follows:.2f} kPa per kPa "
        "instead of 1, up to {off:.0f} kPa off. Look at the regulator and its hose; until then "
        "injector data would hide it.",
    )
    SAGS = Message(
        "injector_verdict.sags",
        "First the fuel pressure: it sags by {pct:.0f} % at {flow:.0f} g/s of air, which is "
        "{fuel:.0f} % less fuel. Look at pump, filter and wiring; until then injector data would "
        "hide it.",
    )
    SLOPE = Message(
        "injector_verdict.slope",
        "From {steps} load steps, the true dead time changes by {slope:+.3f} ± {se:.3f} ms per "
        "volt more than the sheet's; the table to write has it.",
    )
    SLOPE_SOUND = Message(
        "injector_verdict.slope_sound",
        "From {steps} load steps, the sheet's change of dead time over voltage holds "
        "({slope:+.3f} ± {se:.3f} ms per volt off).",
    )
    SLOPE_UNSURE = Message(
        "injector_verdict.slope_unsure",
        "{steps} load steps are too few to tell how the dead time changes with voltage: switch "
        "lamps and fan on and off at idle and at light cruise, ten seconds each.",
    )
    BY_EQUATION = Message(
        "injector_verdict.by_equation",
        "No pulse width was logged: open times follow from the ECU's own equation, its table, "
        "target, trims and flow. A minute with the pulse width in the log proves that.",
    )
    SMALL = Message(
        "injector_verdict.small",
        "Pulses of {ms:g} ms of open time lose {loss:+.3f} ± {error:.3f} ms beyond that: an ECU "
        "with a small-pulse table can hold it, and the dead time of longer pulses is then "
        "{shift:+.3f} ms off.",
    )
    SETTLED = Message(
        "injector_verdict.settled",
        "Neither is off by more than twice its error: there is nothing to write.",
    )
    INSEPARABLE = Message(
        "injector_verdict.inseparable",
        "The drive tells only a mixture of flow and dead time (correlation {correlation:+.2f}).",
    )


MOST_TRUST = 0.03
"""A table less sure than this cannot be told from a flow error."""
MOST_FLOW_SE = 0.04
"""Relative standard error of the flow up to which it counts as known."""
MOST_DEAD_SE_MS = 0.06
"""Standard error of the dead time up to which it counts as known, ms: 3 % of a pulse of 2 ms."""
MOST_CORRELATION = 0.97
"""Correlation of both beyond which one can stand for the other."""
SHORT_MS = 2.0
"""Open time below which a pulse is short: there a dead time shows most, ms."""
LONG_MS = 8.0
"""Open time above which it is long: there a flow shows alone, ms."""
ENOUGH_SHORT_S = 40.0
"""Driving at short pulses that is enough, s; less is asked for."""
ENOUGH_LONG_S = 8.0
"""Driving at long pulses that is enough, s: a few pulls."""
TRUST_SLACK = 1.0001
"""A word of exactly 3 % is one of 3 %, whatever floating point makes of it."""


@dataclass(frozen=True)
class Verdict:
    """What is told.

    Attributes
    ----------
    identifiable_flow, identifiable_dead_time : whether the drive and the word about the table tell
        them.
    flow, dead_time : a sentence on each.
    remarks : further sentences.
    first : what has to be mended before any of this.
    """

    identifiable_flow: bool
    identifiable_dead_time: bool
    flow: Said
    dead_time: Said
    remarks: tuple[Said, ...]
    first: tuple[Said, ...] = ()

    @property
    def identifiable(self) -> bool:
        """True if both are."""
        return self.identifiable_flow and self.identifiable_dead_time

    @property
    def message(self) -> str:
        """All of it."""
        return " ".join(str(s) for s in (*self.first, self.flow, self.dead_time, *self.remarks))


def verdict_on(
    split: Split,
    places: Places,
    trust_pct: float,
    slope: VoltageSlope | None = None,
    supply: Supply | None = None,
    small: SmallPulses | None = None,
    by_equation: bool = False,
) -> Verdict:
    """Judge a split.

    Parameters
    ----------
    split : flow, dead time and airflow apart.
    places : it was made from.
    trust_pct : the user's word about the table's level, percent.
    slope : of the dead time over voltage.
    supply : how the fuel pressure was held; what is wrong with it is told before all else.
    small : what short pulses lose.
    by_equation : whether open times were worked out, for want of a pulse width.

    Returns
    -------
    What is told, and the drive that would settle what is not.
    """
    relative = split.flow_se / split.flow_scale
    together = abs(split.correlation) > MOST_CORRELATION
    # However exact the drive: flow and level of the table are one number to it.
    by_trust = not split.flow_measured and split.trust > MOST_TRUST * TRUST_SLACK
    flow_known = not by_trust and relative <= MOST_FLOW_SE
    # Small errors of both do not help where one can stand for the other.
    dead_known = split.dead_se_ms <= MOST_DEAD_SE_MS and not together
    drive = str(_drive(places))
    if by_trust:
        flow = Say.FLOW_BY_TRUST(trust=100.0 * split.trust, most=100.0 * MOST_TRUST)
    elif flow_known:
        flow = Say.FLOW(scale=split.flow_scale, error=100.0 * relative)
    else:
        flow = Say.FLOW_UNSURE(error=100.0 * relative, drive=drive)
    dead = (
        Say.DEAD(shift=split.dead_ms, error=split.dead_se_ms)
        if dead_known
        else Say.DEAD_UNSURE(error=split.dead_se_ms, drive=drive)
    )
    remarks = [] if slope is None else _on_slope(slope)
    if by_equation:
        remarks.append(Say.BY_EQUATION())
    if small is not None and small.is_there:
        remarks.append(_on_small(small))
    if flow_known and dead_known and _is_settled(split):
        remarks.append(Say.SETTLED())
    if not split.word_holds:
        remarks.append(Say.WORD_BACK(trust=trust_pct, shape=100.0 * split.shape))
    if together:
        remarks.append(Say.INSEPARABLE(correlation=split.correlation))
    first = () if supply is None else tuple(on_supply(supply))
    return Verdict(flow_known, dead_known, flow, dead, tuple(remarks), first)


def on_supply(supply: Supply) -> list[Said]:
    """What is wrong with the fuel supply.

    Returns nothing where it is sound, or was not logged.
    """
    said = []
    if supply.is_off:
        said.append(Say.REGULATOR(follows=supply.follows, off=supply.off_kpa))
    if supply.sags:
        # Flow goes with the root of the pressure difference (Bernoulli).
        fuel = 100.0 * (1.0 - np.sqrt(1.0 - supply.sag_pct / 100.0))
        said.append(Say.SAGS(pct=supply.sag_pct, flow=supply.hard_g_per_s, fuel=float(fuel)))
    return said


def _on_slope(slope: VoltageSlope) -> list[Said]:
    if not slope.steps:
        return []
    values = {"slope": slope.ms_per_v, "se": slope.se, "steps": slope.steps}
    if slope.is_off:
        return [Say.SLOPE(**values)]
    return [Say.SLOPE_SOUND(**values)] if slope.is_known else [Say.SLOPE_UNSURE(steps=slope.steps)]


def _on_small(small: SmallPulses) -> Said:
    # The largest that is sure; the rest of the table shows on its card.
    at = int(np.argmax(np.where(small.sure, np.abs(small.loss_ms), 0.0)))
    return Say.SMALL(
        ms=float(small.open_ms[at]),
        loss=float(small.loss_ms[at]),
        error=float(small.se_ms[at]),
        shift=small.split.dead_ms,
    )


def _is_settled(split: Split) -> bool:
    """True if what is in the ECU is within the errors."""
    return (
        abs(split.flow_scale - 1.0) < 2.0 * split.flow_se
        and abs(split.dead_ms) < 2.0 * split.dead_se_ms
    )


def _drive(places: Places) -> Said:
    """The driving that is missing most: short pulses first, for they tell most in a second."""
    short = float(places.seconds[places.open_ms < SHORT_MS].sum())
    long = float(places.seconds[places.open_ms > LONG_MS].sum())
    if short < ENOUGH_SHORT_S:
        return Say.SHORT(ms=min(SHORT_MS, 1.3 * float(np.min(places.open_ms))))
    if long < ENOUGH_LONG_S:
        return Say.LONG(ms=max(LONG_MS, 1.2 * float(np.max(places.open_ms))))
    return Say.MORE()

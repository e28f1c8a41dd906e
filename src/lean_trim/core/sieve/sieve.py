"""Which samples mean what they seem to, and why the others do not.

A sample carries one bit for every rule that hits it, so a view can show, count, switch and turn
each of them. A rule is worked out anew only when its own knobs were turned.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from lean_trim.core.data.log import extend_mask
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.errors import BadInputError
from lean_trim.core.knobs import values_of
from lean_trim.core.messages import Message
from lean_trim.core.parallel import run_parallel
from lean_trim.core.sieve import rules_engine as engine
from lean_trim.core.sieve import rules_limits as limits
from lean_trim.core.sieve.rule import Rule
from lean_trim.core.types import Bits, Mask


class Say:
    """Sentences of this module."""

    UNKNOWN_KNOB = Message(
        "sieve.unknown_knob", "the sieve has no setting {key!r}; allowed are {allowed}"
    )


RULES: tuple[Rule, ...] = (
    engine.not_running,
    limits.no_data,
    engine.cold,
    engine.starting,
    engine.settling,
    limits.airflow_end,
    engine.cut,
    limits.sensor_range,
    limits.stuck,
    engine.tip,
    engine.shift,
    engine.slip,
    engine.crossed,
    limits.enrichment,
    limits.full_target,
    limits.off_table,
    limits.other_source,
    limits.low_voltage,
    limits.injector_limit,
    limits.pressure,
    engine.dilution,
    engine.knock,
    limits.sag,
    limits.trim_limit,
    engine.misfire,
)
RULE_BITS = {rule.name: np.uint32(1 << i) for i, rule in enumerate(RULES)}
"""The bit of each rule, in a sample's word of 32."""
MANUAL = "by_hand"
MANUAL_BIT = np.uint32(1 << 31)
"""The last bit: left out by hand."""
_KNOBS = {f"{rule.name}.{knob.name}": knob for rule in RULES for knob in rule.knobs}


@dataclass(frozen=True)
class SieveSettings:
    """What was changed from the rules' defaults.

    changes : "rule.knob" → value, for example {"tip.after_s": 0.6}. Raises BadInputError for an
        unknown knob or a value outside its range.
    disabled : names of rules switched off.
    """

    changes: Mapping[str, float] = field(default_factory=dict)
    disabled: frozenset[str] = field(default_factory=frozenset)

    def __post_init__(self) -> None:
        for key, value in self.changes.items():
            if key not in _KNOBS:
                raise BadInputError(Say.UNKNOWN_KNOB(key=key, allowed=", ".join(_KNOBS)))
            _KNOBS[key].checked(value)

    def values(self, rule: Rule) -> dict[str, float]:
        """Every knob of a rule with its value.

        Parameters
        ----------
        rule : one of ``RULES``.

        Returns
        -------
        Name → value.
        """
        return values_of(rule.name, rule.knobs, self.changes)

    def turned(self, rule: str, knob: str, value: float) -> SieveSettings:
        """The settings with one knob turned; its default leaves no trace.

        Parameters
        ----------
        rule, knob : their names.
        value : in the knob's unit.

        Returns
        -------
        New settings; these stay as they are.

        Raises
        ------
        BadInputError
            If there is no such knob or the value is outside its range.
        """
        key = f"{rule}.{knob}"
        # So that a knob turned and turned back is no change: settings are compared by what they
        # hold.
        changes = {k: v for k, v in self.changes.items() if k != key}
        if key not in _KNOBS or value != _KNOBS[key].default:
            changes[key] = value
        return replace(self, changes=changes)


@dataclass(frozen=True, eq=False)
class Sifted:
    """Result of the sieve.

    Attributes
    ----------
    reason_bits : (n,) one bit per rule in ``RULES`` order for every reason a sample is left out
        for; 0 means used.
    hit_bits : (n,) the same for every rule, also those switched off and those that only mark.
    seconds, counts : per rule, what it hits (whether switched on or not).
    alone : per rule, seconds no other reason leaves out.
    by_hand : samples the user left out, None if none.
    """

    reason_bits: Bits
    hit_bits: Bits
    seconds: dict[str, float]
    counts: dict[str, int]
    alone: dict[str, float]
    settings: SieveSettings
    conditions: Conditions
    by_hand: Mask | None = None

    @property
    def used(self) -> Mask:
        """Samples no rule leaves out, shape (n,)."""
        return np.asarray(self.reason_bits == 0)


def sift(
    conditions: Conditions,
    settings: SieveSettings,
    left_out_by_hand: Mask | None = None,
    previous: Sifted | None = None,
) -> Sifted:
    """Apply every rule.

    Parameters
    ----------
    left_out_by_hand : samples the user left out, shape (n,).
    previous : an earlier result on the same conditions; only rules whose knobs were turned since
        are worked out again.
    """
    from lean_trim.core.kernels.log_loops import mark

    # While a knob is dragged only its own rule is worked out again.
    again = [r for r in RULES if previous is None or not _kept(previous, conditions, settings, r)]
    hits = np.zeros(len(conditions.lam), np.uint32)
    if previous is not None and len(again) < len(RULES):
        hits |= previous.hit_bits & np.uint32(
            sum(int(RULE_BITS[r.name]) for r in RULES if r not in again)
        )
    masks = run_parallel(len(hits), [partial(hit_by, rule, conditions, settings) for rule in again])
    for rule, mask in zip(again, masks, strict=True):
        mark(hits, mask, RULE_BITS[rule.name])
    # Rules that only mark, or are switched off, still say what they would hit.
    leaving = sum(
        int(RULE_BITS[r.name]) for r in RULES if not r.marks and r.name not in settings.disabled
    )
    bits = hits & np.uint32(leaving)
    if left_out_by_hand is not None:
        # No rule's settings touch what the user left out.
        by_hand = np.where(left_out_by_hand, MANUAL_BIT, np.uint32(0))
        bits = bits | by_hand
        hits = hits | by_hand
    return replace(_count(bits, hits, settings, conditions), by_hand=left_out_by_hand)


def hit_by(rule: Rule, conditions: Conditions, settings: SieveSettings) -> Mask:
    """Samples a rule hits, with its hold-off; (n,).

    Parameters
    ----------
    rule : one of ``RULES``.
    conditions : what it looks at.
    settings : its knobs.

    Returns
    -------
    True where it hits, shape (n,).
    """
    v = settings.values(rule)
    mask = rule.test(conditions, v)
    # Of no hold-off the mask is the answer; copying it costs as much as the rule.
    if v["before_s"] > 0.0 or v["after_s"] > 0.0:
        return extend_mask(mask, conditions.motion.frame.log.time_s, v["before_s"], v["after_s"])
    return mask


def _kept(previous: Sifted, conditions: Conditions, settings: SieveSettings, rule: Rule) -> bool:
    return previous.conditions is conditions and previous.settings.values(rule) == settings.values(
        rule
    )


def _count(bits: Bits, hits: Bits, settings: SieveSettings, conditions: Conditions) -> Sifted:
    from lean_trim.core.kernels.log_loops import count_bits

    counted, seconds, alone = count_bits(bits, hits, conditions.motion.durations_s)
    places = {
        name: int(bit).bit_length() - 1 for name, bit in (*RULE_BITS.items(), (MANUAL, MANUAL_BIT))
    }
    return Sifted(
        bits,
        hits,
        {n: float(seconds[i]) for n, i in places.items()},
        {n: int(counted[i]) for n, i in places.items()},
        {n: float(alone[i]) for n, i in places.items()},
        settings,
        conditions,
    )


def reasons_at(bits: int) -> list[Rule]:
    """The rules whose bits are set, in display order.

    Parameters
    ----------
    bits : of one sample, as ``Sifted.reason_bits`` holds them.

    Returns
    -------
    The rules that leave it out.
    """
    return [r for r in RULES if bits & int(RULE_BITS[r.name])]

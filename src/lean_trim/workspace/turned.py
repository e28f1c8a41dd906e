"""What was turned, in words for undo and redo."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lean_trim.core.decision.proposal import POLICY_KNOBS
from lean_trim.core.drive.gauge import GaugeWord
from lean_trim.core.drive.regimes import REGIME_KNOBS
from lean_trim.core.estimation.averages import AVERAGE_KNOBS
from lean_trim.core.estimation.surface import SURFACE_KNOBS
from lean_trim.core.knobs import Knob
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import CARRY_KNOBS
from lean_trim.core.sieve.sieve import RULES
from lean_trim.core.text import cells_in_words, evenly_written
from lean_trim.job.tuning import Tuning


class Say:
    """What changed, in a few words."""

    KNOB = Message("turned.knob", "{label} {before} → {after}")
    RULE_KNOB = Message("turned.rule_knob", "{rule}: {label} {before} → {after}")
    RULE_OFF = Message("turned.rule_off", "Switch off the rule “{rule}”")
    RULE_ON = Message("turned.rule_on", "Switch on the rule “{rule}”")
    METHOD = Message("turned.method", "Estimate by {method}")
    DELAY_ON = Message("turned.delay_on", "Read the delay from the log")
    DELAY_OFF = Message("turned.delay_off", "Take the delay as assumed")
    UNVISITED = Message("turned.unvisited", "Cells not driven: {choice}")
    REGIONS = Message("turned.regions", "Put {cells} into another region")
    END_ON = Message("turned.end_on", "Carry the curve's last segment on")
    END_OFF = Message("turned.end_off", "Do not carry the curve's last segment on")
    SOUND = Message("turned.sound", "Vouch for the fuel supply")
    NOT_SOUND = Message("turned.not_sound", "Do not vouch for the fuel supply")
    GAUGE = Message("turned.gauge", "Lambda gauge: {word}")
    EARLIER = Message("turned.earlier", "Which earlier rounds count")
    CAR_CHANGED = Message("turned.car_changed", "The car is another: {what}")
    CAR_SAME = Message("turned.car_same", "The car is the same as before")
    SOURCE = Message("turned.source", "How the airflow source is told")
    SEVERAL = Message("turned.several", "Turn {count} settings")
    NOTHING = Message("turned.nothing", "Turn a setting")


METHOD_NAMES = {"surface": "one surface through all samples", "average": "cell averages"}


GAUGE_WORDS: Mapping[GaugeWord, str] = {
    "unsaid": "not said whether it is off",
    "off": "it is off",
    "right": "it is right",
}


def turned(before: Tuning, after: Tuning) -> str:
    """What makes one state of the settings another.

    Returns a few words; the number of settings where several differ.
    """
    found = list(_differences(before, after))
    if len(found) == 1:
        return found[0]
    return str(Say.SEVERAL(count=len(found)) if found else Say.NOTHING())


def _differences(before: Tuning, after: Tuning) -> Iterator[str]:
    yield from _knobs(POLICY_KNOBS, before.policy, after.policy)
    for name, knobs in (
        ("regimes", REGIME_KNOBS),
        ("surface", SURFACE_KNOBS),
        ("averages", AVERAGE_KNOBS),
        ("carrying", CARRY_KNOBS),
    ):
        yield from _knobs(knobs, getattr(before.solve, name), getattr(after.solve, name))
    yield from _rules(before, after)
    if before.solve.method != after.solve.method:
        yield str(Say.METHOD(method=METHOD_NAMES[after.solve.method]))
    if before.solve.fit_delay != after.solve.fit_delay:
        yield str(Say.DELAY_ON() if after.solve.fit_delay else Say.DELAY_OFF())
    if before.solve.gauge != after.solve.gauge:
        yield str(Say.GAUGE(word=GAUGE_WORDS[after.solve.gauge]))
    if before.policy.unvisited != after.policy.unvisited:
        yield str(Say.UNVISITED(choice=after.policy.unvisited))
    if before.policy.regions != after.policy.regions:
        moved = len(set(before.policy.regions) ^ set(after.policy.regions))
        yield str(Say.REGIONS(cells=cells_in_words(moved)))
    if before.policy.extrapolate_end != after.policy.extrapolate_end:
        yield str(Say.END_ON() if after.policy.extrapolate_end else Say.END_OFF())
    if before.policy.supply_sound != after.policy.supply_sound:
        yield str(Say.SOUND() if after.policy.supply_sound else Say.NOT_SOUND())
    if before.left_earlier != after.left_earlier:
        yield str(Say.EARLIER())
    if before.car_changed != after.car_changed:
        what = after.car_changed
        yield str(Say.CAR_CHANGED(what=what) if what else Say.CAR_SAME())
    if before.airflow_source != after.airflow_source:
        yield str(Say.SOURCE())


def _knobs(knobs: tuple[Knob, ...], before: Any, after: Any) -> Iterator[str]:
    for knob in knobs:
        old = getattr(before, knob.name)
        new = getattr(after, knob.name)
        if old != new:
            was, now = written(knob, old, new)
            yield str(Say.KNOB(label=knob.label, before=was, after=now))


def _rules(before: Tuning, after: Tuning) -> Iterator[str]:
    for rule in RULES:
        old = before.solve.sieve.values(rule)
        new = after.solve.sieve.values(rule)
        for knob in rule.knobs:
            if old[knob.name] != new[knob.name]:
                was, now = written(knob, old[knob.name], new[knob.name])
                said = Say.RULE_KNOB(
                    rule=rule.label, label=knob.label.lower(), before=was, after=now
                )
                yield str(said)
        was_off = rule.name in before.solve.sieve.disabled
        is_off = rule.name in after.solve.sieve.disabled
        if was_off != is_off:
            yield str(Say.RULE_OFF(rule=rule.label) if is_off else Say.RULE_ON(rule=rule.label))


def written(knob: Knob, old: float, new: float) -> tuple[str, str]:
    """Two values of a knob with the same decimals, the later one with its unit.

    Parameters
    ----------
    knob : whose values they are.
    old, new : in its unit.

    Returns
    -------
    Both as text.
    """
    was, now = evenly_written((old, new))
    return was, f"{now} {knob.unit}".rstrip()

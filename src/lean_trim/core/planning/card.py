"""A plan in at most twelve short sentences, to be read aloud by whoever sits beside the driver."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.core.planning.plan import COAST_S, IDLE_S, LEAD_S, Held, Plan
from lean_trim.core.planning.states import RPM_STEP


class Say:
    """Sentences of this module."""

    TITLE = Message("card.title", "{name}: {minutes:.0f} minutes on {where}, {count} states.")
    BEFORE = Message(
        "card.before",
        "Warm engine, log running, {lead:.0f} s at an even speed. Somebody else reads this; the driver does "
        "not.",
    )
    SETTLING = Message(
        "card.settling",
        "After a flash drive {minutes:.0f} min first, which do not count. Then log, {lead:.0f} s at an even "
        "speed. Somebody else reads this.",
    )
    ONE_SPEED = Message("card.one_speed", "{rpm:.0f} rpm: {loads} kPa, {seconds:.0f} s each.")
    SPEEDS = Message(
        "card.speeds",
        "{first:.0f} to {last:.0f} rpm in steps of {step:.0f}: {low:.0f} up to {high:.0f} kPa, "
        "{count} states, {seconds:.0f} s each.",
    )
    GEAR = Message(
        "card.gear",
        "Gear {gear}: {slow:.0f} to {fast:.0f} km/h, {first:.0f} to {last:.0f} rpm, {grade}, {count} states, "
        "{seconds:.0f} s each.",
    )
    ORDER = Message("card.order", "At every speed from light load to heavy; change slowly.")
    END = Message("card.end", "Then coast in gear {coast:.0f} s and idle {idle:.0f} s.")
    ABORT = Message(
        "card.abort",
        "Stop at once: lambda over 1.05 × target for 0.3 s under load, knock, falling fuel pressure, heat.",
    )
    NOTHING = Message(
        "card.nothing", "{name}: nothing can be planned; every state left may be too lean to hold."
    )
    LEVEL = Message("card.level", "level road")
    HILLS = Message("card.hills", "{low:+.0f} to {high:+.0f} % grade")
    EXPECTED = Message(
        "card.expected", "Table off by {before:.1f} % now, {after:.1f} % expected after."
    )


MOST_LINES = 12
WHERE_WORDS = {"dyno": "a dynamometer", "road": "the road"}
FIXED_LINES = 6
"""Lines every card has: title, before, order, end, abort, expected."""


def card_lines(plan: Plan, name: str, settle_min: float = 0.0) -> tuple[str, ...]:
    """What is read aloud.

    Parameters
    ----------
    plan : of the next drive.
    name : of the car.
    settle_min : for which its ECU settles after a flash, min; 0 for one that does not.

    Returns
    -------
    At most ``MOST_LINES`` sentences.
    """
    if not plan.held:
        return (str(Say.NOTHING(name=name)), str(Say.ABORT()))
    title = Say.TITLE(
        name=name, minutes=plan.seconds / 60.0, where=WHERE_WORDS[plan.where], count=len(plan.held)
    )
    before = (
        Say.SETTLING(minutes=settle_min, lead=LEAD_S) if settle_min else Say.BEFORE(lead=LEAD_S)
    )
    middle = _by_gear(plan.held) if plan.where == "road" else _by_speed(plan.held)
    return (
        str(title),
        str(before),
        *middle,
        str(Say.ORDER()),
        str(Say.END(coast=COAST_S, idle=IDLE_S)),
        str(Say.ABORT()),
        str(Say.EXPECTED(before=plan.rms_before_pct, after=plan.rms_after_pct)),
    )


def _by_gear(held: Sequence[Held]) -> list[str]:
    lines = []
    for gear in sorted({h.gear for h in held}):
        here = [h for h in held if h.gear == gear]
        speeds = [h.speed_kmh for h in here]
        grades = [100.0 * h.grade for h in here]
        flat = max(abs(g) for g in grades) < 0.5
        said = Say.LEVEL() if flat else Say.HILLS(low=min(grades), high=max(grades))
        lines.append(
            str(
                Say.GEAR(
                    gear=gear,
                    slow=min(speeds),
                    fast=max(speeds),
                    first=min(h.rpm for h in here),
                    last=max(h.rpm for h in here),
                    grade=str(said),
                    count=len(here),
                    seconds=here[0].seconds,
                )
            )
        )
    return lines[: MOST_LINES - FIXED_LINES]


def _by_speed(held: Sequence[Held]) -> list[str]:
    """A line a speed where they are few, else one for several neighbouring speeds."""
    speeds = sorted({h.rpm for h in held})
    room = MOST_LINES - FIXED_LINES
    groups = [list(part) for part in np.array_split(speeds, min(room, len(speeds)))]
    return [_group([h for h in held if h.rpm in group], group) for group in groups]


def _group(here: Sequence[Held], speeds: Sequence[float]) -> str:
    loads = [h.map_kpa for h in here]
    if len(speeds) == 1:
        said = ", ".join(f"{load:.0f}" for load in loads)
        return str(Say.ONE_SPEED(rpm=speeds[0], loads=said, seconds=here[0].seconds))
    return str(
        Say.SPEEDS(
            first=speeds[0],
            last=speeds[-1],
            step=RPM_STEP,
            low=min(loads),
            high=max(loads),
            count=len(here),
            seconds=here[0].seconds,
        )
    )

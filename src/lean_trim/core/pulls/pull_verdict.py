"""One sentence on a pull: what has to be mended first, else how the mixture was."""

from __future__ import annotations

import math

from lean_trim.core.messages import Message, Said
from lean_trim.core.pulls.pull import Pull
from lean_trim.core.text import signed


class Say:
    """Sentences of this module."""

    PRESSURE = Message(
        "pull_verdict.pressure",
        "Fuel pressure fell by {pct:.0f} %: look at pump, filter and wiring before another pull; "
        "nothing is leaned from this one.",
    )
    ENDS = Message(
        "pull_verdict.ends",
        "Fuel delivery ends at {flow:.0f} g/s ({rpm:.0f} rpm): stop, and add no fuel for it. Pump, "
        "filter and wiring first.",
    )
    LEAN_SUPPLY = Message(
        "pull_verdict.lean_supply",
        "{lean:.1f} % leaner than target at {lean_rpm:.0f} rpm (mean {mean} %){also}: fuel may not "
        "have arrived; the fuel supply comes first.",
    )
    LEAN_UNKNOWN = Message(
        "pull_verdict.lean_unknown",
        "{lean:.1f} % leaner than target at {lean_rpm:.0f} rpm (mean {mean} %){also}. Fuel "
        "pressure "
        "was not logged: look at it before another pull, then at the table.",
    )
    DUTY = Message(
        "pull_verdict.duty",
        "The injectors were open {pct:.0f} % of the time: there is no more fuel to be had; larger "
        "ones first.",
    )
    SENSOR = Message(
        "pull_verdict.sensor",
        "The airflow sensor was at its end: this pull says nothing of airflow, and more air is "
        "run lean.",
    )
    NOT_ENRICHED = Message(
        "pull_verdict.not_enriched",
        "Full-throttle enrichment was never commanded (throttle up to {throttle:.0f} %): look at "
        "its threshold; this pull says nothing of full load.",
    )
    KNOCK = Message(
        "pull_verdict.knock",
        "Knock took up to {deg:.1f}° of spark: nothing is leaned here. {mixture}",
    )
    LEAN = Message(
        "pull_verdict.lean",
        "{lean:.1f} % leaner than target at {lean_rpm:.0f} rpm (mean {mean} %){also}: enrich "
        "before another pull.",
    )
    LEANER = Message(
        "pull_verdict.leaner",
        "{lean:.1f} % leaner than target at {lean_rpm:.0f} rpm (mean {mean} %){also}.",
    )
    RICH = Message(
        "pull_verdict.rich",
        "{rich:.1f} % richer than target at {rich_rpm:.0f} rpm (mean {mean} %){also}.",
    )
    ALSO_RICH = Message("pull_verdict.also_rich", ", {rich:.1f} % richer at {rich_rpm:.0f}")
    ALSO_LEAN = Message("pull_verdict.also_lean", ", {lean:.1f} % leaner at {lean_rpm:.0f}")
    ON_TARGET = Message("pull_verdict.on_target", "Within {most:.1f} % of target (mean {mean} %).")
    NO_LAMBDA = Message("pull_verdict.no_lambda", "No mixture was measured here.")
    HEAT = Message(
        "pull_verdict.heat",
        "{rest} Begun {hotter:.0f} °C hotter than the run {gap:.0f} s before it: heat soak. "
        "Compare runs that begin alike.",
    )
    TIP_IN = Message(
        "pull_verdict.tip_in",
        "{rest} Tip-in fuel was thin, {pct:.0f} % lean as the throttle opened: not the table's "
        "error, look at Transients.",
    )
    PARTIAL = Message("pull_verdict.partial", "Not full throttle: {throttle:.0f} % at most. {rest}")


SAG_PCT = 7.0
MOST_DUTY_PCT = 95.0
LEAN_PCT = 4.0
GOOD_PCT = 2.5
"""Lean of target at which a pull is not repeated, and what is good enough (common practice, no
source)."""
UNKNOWN_PCT = 8.0
"""Lean error from which a pull without fuel pressure is no matter of the table alone, percent."""
THIN_PCT = 8.0
"""Lean error by the wall film that is told, percent."""
HOTTER_K = 6.0
BACK_TO_BACK_S = 180.0
"""Intake air this much hotter at the start of a run so soon after another is heat soak (common
practice)."""
SENSOR_END = "airflow_sensor_end"


def verdict_on_pull(pull: Pull, before: Pull | None = None) -> Said:
    """Judge a pull.

    Parameters
    ----------
    pull : measured.
    before : the one before it in the same drive.

    Returns
    -------
    One sentence or two; what is dangerous first.
    """
    said = _danger(pull) or _mixture(pull)
    if pull.tip_in_pct > THIN_PCT:
        said = Say.TIP_IN(rest=str(said), pct=pull.tip_in_pct)
    if pull.kind == "partial" and math.isfinite(pull.throttle_pct):
        said = Say.PARTIAL(throttle=pull.throttle_pct, rest=str(said))
    if before is None:
        return said
    hotter = pull.intake_from_c - before.intake_from_c
    gap = pull.start_s - before.end_s
    if hotter >= HOTTER_K and gap <= BACK_TO_BACK_S:
        return Say.HEAT(rest=str(said), hotter=hotter, gap=gap)
    return said


def _danger(pull: Pull) -> Said | None:
    if pull.dp_drop_pct > SAG_PCT:
        return Say.PRESSURE(pct=pull.dp_drop_pct)
    if pull.ends_at is not None:
        flow, rpm = pull.ends_at
        return Say.ENDS(flow=flow, rpm=100.0 * round(rpm / 100.0))
    if SENSOR_END in pull.faults:
        return Say.SENSOR()
    if pull.duty_pct > MOST_DUTY_PCT:
        return Say.DUTY(pct=pull.duty_pct)
    if pull.kind == "full" and pull.enriched is False:
        return Say.NOT_ENRICHED(throttle=pull.throttle_pct)
    if pull.knock_deg > 0.0:
        return Say.KNOCK(deg=pull.knock_deg, mixture=str(_mixture(pull)))
    return None


def _lean(pull: Pull) -> Message:
    """What to say of a lean pull: more fuel is no answer where fuel may not arrive."""
    if pull.lambda_lean_pct <= LEAN_PCT:
        return Say.LEANER
    if pull.supply_in_doubt:
        return Say.LEAN_SUPPLY
    unknown = not math.isfinite(pull.dp_drop_pct)
    return Say.LEAN_UNKNOWN if unknown and pull.lambda_lean_pct > UNKNOWN_PCT else Say.LEAN


def _mixture(pull: Pull) -> Said:
    mean = pull.lambda_mean_pct
    lean = pull.lambda_lean_pct
    rich = pull.lambda_rich_pct
    if not math.isfinite(mean):
        return Say.NO_LAMBDA()
    words = {
        "mean": signed(mean),
        "lean": lean,
        "rich": -rich,
        "lean_rpm": pull.lean_rpm,
        "rich_rpm": pull.rich_rpm,
    }
    most = max(abs(lean), abs(rich))
    if most <= GOOD_PCT:
        return Say.ON_TARGET(most=most, **words)
    if lean > LEAN_PCT or lean > -rich:
        also = str(Say.ALSO_RICH(**words)) if rich < -GOOD_PCT else ""
        return _lean(pull)(also=also, **words)
    also = str(Say.ALSO_LEAN(**words)) if lean > GOOD_PCT else ""
    return Say.RICH(also=also, **words)

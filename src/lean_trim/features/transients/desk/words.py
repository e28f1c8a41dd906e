"""What the desk says beside its panels: film, temperatures, idle, fuel cuts."""

from __future__ import annotations

import math

from lean_trim.core.pipeline.transients import TransientReport
from lean_trim.core.text import signed
from lean_trim.core.transients.cuts import CutThresholds
from lean_trim.core.transients.idle import Idle, Loop
from lean_trim.core.transients.warm_up import TemperatureBin

LOOPS = {
    Loop.AIR: "its air control swings: slow it or make it weaker",
    Loop.SPARK: "its spark swings: make the spark's idle control weaker",
    Loop.TRIMS: "the trims swing: make feedback slower at idle",
}
FEWEST = 2
PLAIN_PCT = 2.0
"""What is left over air temperature or barometer from which it is worth a word."""


def film_words(report: TransientReport) -> str:
    """What is known of the wall film."""
    film = report.film
    if not film.known:
        return f"The wall film is not known: {film.why}. Nothing is proposed."
    share = film.share
    tau = film.tau_s
    cold = report.cold_film
    at_cold = (
        ""
        if cold is None
        else (
            f" At {cold.coolant_c:.0f} °C: {100 * cold.share:.0f} ± {100 * cold.share_se:.0f} %, "
            f"over {cold.tau_s:.2f} ± {cold.tau_se_s:.2f} s."
        )
    )
    return (
        f"Wall film: {100 * share:.0f} ± {100 * film.share_se:.0f} % of the fuel at "
        f"{film.map_kpa:.0f} kPa ({signed(100 * film.slope, 0)} % per 100 kPa), evaporating over "
        f"{tau:.2f} ± {film.tau_se_s:.2f} s, from {film.windows} quick changes. A step of fuel "
        f"wants {100 * share / (1 - share):.0f} % of itself more, fading over "
        f"{tau * (1 - share):.2f} s.{at_cold}"
    )


def temperature_words(report: TransientReport) -> str:
    """What is missing over coolant, intake air and barometer."""
    said = [_warm_up(report.warm_up)]
    start = report.after_start
    if start is not None:
        said.append(
            f"After the start {signed(start.missing_pct, 1)} ± {start.std_error_pct:.1f} % beyond "
            f"that, fading over {start.fades_s:.0f} s."
        )
    for name, bins, unit in (
        ("intake air", report.intake, "°C"),
        ("barometer", report.height, "kPa"),
    ):
        plain = [b for b in bins if abs(b.error_pct) >= max(PLAIN_PCT, 2.0 * b.std_error_pct)]
        if plain and len(bins) >= FEWEST:
            steps = "; ".join(f"{b.at_c:.0f} {unit} {signed(b.error_pct, 1)} %" for b in plain)
            said.append(f"By {name}: {steps}.")
    return " ".join(said)


def _warm_up(bins: tuple[TemperatureBin, ...]) -> str:
    if len(bins) < 2:
        return "Warm-up: no cold running was driven."
    steps = "; ".join(f"{b.at_c:.0f} °C {_step(b)}" for b in bins)
    return (
        f"Warm-up, fuel missing (+) or too much (−) by coolant: {steps}. One drive does not tell "
        "fuel that stays unburnt from a charge the warm engine heats."
    )


def _step(one: TemperatureBin) -> str:
    error = f"{signed(one.error_pct, 1)} ± {one.std_error_pct:.1f} %"
    if abs(one.error_pct) <= 2.0 * one.std_error_pct or not math.isfinite(one.given_pct):
        return error
    return f"{error} (write {signed(one.proposed_pct, 0)} for {signed(one.given_pct, 0)} %)"


def idle_words(report: TransientReport) -> str:
    """How it idles and where fuel is cut."""
    return f"{_idle(report.idle, report.diluted)} {_cuts(report)}".strip()


def _idle(idle: Idle | None, diluted: bool) -> str:
    if idle is None:
        return "Idle: too short to be judged."
    mean = f"{signed(idle.error_pct, 1)} % off target on average, scattering by {idle.spread_pct:.1f} %"
    if not math.isfinite(idle.error_pct):
        mean = "λ unknown"
    said = f"Idle, {idle.seconds:.0f} s: {mean}; engine speed by {idle.rpm_spread:.0f} rpm"
    if math.isfinite(idle.error_pct):
        said += f": {_what_to_do(idle, diluted)}"
    for gear in idle.gears:
        where = "in gear" if gear.in_gear else "out of gear"
        said += f"; {where} {signed(gear.error_pct, 1)} % at {gear.rpm:.0f} rpm"
    if not idle.swings:
        return f"{said}. Nothing swings."
    widest = idle.swings[0]
    said = f"{said}. {widest.what.capitalize()} swings every {widest.period_s:.1f} s"
    return f"{said}: {LOOPS[idle.loop]}." if idle.loop in LOOPS else f"{said}."


def _what_to_do(idle: Idle, diluted: bool) -> str:
    if idle.is_noise:
        return "leave it"
    if diluted and idle.error_pct > 0.0:
        return "leave it, at the tailpipe air mixes into what little comes out"
    return f"write half of it, {signed(idle.error_pct / 2.0, 1)} %, and log again"


def _cuts(report: TransientReport) -> str:
    cuts = report.cuts
    if cuts is None:
        return ""
    if cuts.hunts:
        return _hunting(cuts, report.idle)
    back = (
        f", fuel comes back at {cuts.leaves_rpm:.0f} rpm" if math.isfinite(cuts.leaves_rpm) else ""
    )
    return f"Fuel was cut {cuts.cuts} times, from {cuts.enters_rpm:.0f} rpm on{back}."


def _hunting(cuts: CutThresholds, idle: Idle | None) -> str:
    said = (
        f"Fuel is cut and given back {cuts.hunts} times in a row on a closed throttle, every "
        f"{cuts.hunt_period_s:.1f} s: part the two thresholds"
    )
    entry = cuts.entry_to_write(float("nan") if idle is None else idle.most_rpm)
    return f"{said}, cut from {entry:.0f} rpm at least." if math.isfinite(entry) else f"{said}."

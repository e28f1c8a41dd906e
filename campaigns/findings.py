"""Is each fault found on random cars, told first and with an honest probability, and is a sound car quiet?"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from campaigns.faulty_cars import (
    BARELY,
    CLEAR,
    COUNT,
    GROSS,
    HEALTHY,
    NAMES,
    PER_FAULT,
    FaultyCar,
    driven,
    faulty_car,
)
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.diagnosis.odds import PRIOR
from lean_trim.core.diagnosis.of_fit import SLOW_ID, SLOW_S
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.pipeline.patterns import find_patterns
from lean_trim.core.pipeline.solve import Solution, solve

EXPECTED: Mapping[str, tuple[str, ...]] = {
    "pump": ("fuel_pressure",),
    "pump, Δp not logged": ("unseen_sag",),
    "regulator": ("regulator",),
    "battery": ("low_voltage",),
    "small injectors": ("injector_duty", "injectors_full_open"),
    "airflow sensor": ("airflow_sensor_end",),
    "sensor cold": ("sensor_not_ready",),
    "sensor slow": ("sensor_slow",),
    "sensor stuck": ("sensor_stuck",),
    "sensor drops": ("sensor_drops_out",),
    "free air": ("free_air",),
    "no enrichment": ("enrichment_not_reached",),
    "hidden enrichment": ("hidden_enrichment",),
    "trim limit": ("trim_at_limit", "injector_flow"),
    "feedback": ("feedback_swings",),
    "target swing": ("target_swings",),
    "intake leak": ("intake_leak",),
    "exhaust leak": ("exhaust_leak",),
    "injector flow": ("injector_flow",),
    "dead time": ("dead_time",),
    "air temperature": ("air_temperature",),
    "altitude": ("altitude",),
    "extra fuel": ("extra_fuel",),
    "after flash": ("after_flash",),
    "knock": ("knock",),
    "misfire": ("misfire",),
    "slow log": ("log_too_slow",),
    "banks": ("banks_disagree",),
}
"""Findings that name a planted fault."""
FAMILIES: Mapping[str, tuple[str, ...]] = {
    "shapes": ("dead_time", "intake_leak", "exhaust_leak"),
    "courses in time": ("after_flash", "air_temperature", "altitude"),
    "flow": ("injector_flow",),
    "in boost": ("unseen_sag", "extra_fuel"),
}
"""Patterns that share their odds, over the logarithm of the Bayes factor."""
OF_THE_CAR = (
    "lean_full_throttle",
    "lambda_at_its_end",
    "trim_at_full_throttle",
    "trim_at_limit",
    "impossible_readings",
    "injector_duty",
    "cold_engine",
    "channels_missing",
    "nothing_supported",
    "fit_not_converged",
)
"""What is true of a random car or table by itself; whether it is, ``_is_true`` asks car and
channels."""
BINS = ((0.5, 0.7), (0.7, 0.9), (0.9, 0.97), (0.97, 1.01))


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car = faulty_car(seed)
    soaked = car.car.truth.soak_k > 0.0
    result: Trial = {"seed": seed, "fault": car.fault, "strength": car.strength, "soaked": soaked}
    log = driven(car)
    try:
        solution = solve([log], car.vehicle)
    except Exception as error:
        return {**result, "failed": f"{type(error).__name__}: {error}"}
    told = [
        {"id": f.id, "p": round(f.probability, 4), "alike": list(f.alike)}
        for f in solution.findings
    ]
    for one in told:
        one["true"] = _is_true(str(one["id"]), car, log)
    return {**result, "told": told, "seen": _seen(solution), "weights": _weights(solution)}


def _is_true(finding: str, car: FaultyCar, log: Log) -> bool:
    """Whether what is said of a car beside its planted fault is so, by its truth and by its raw channels."""
    with np.errstate(invalid="ignore"):
        full = log.get(Role.THROTTLE) >= 80.0
        if finding == "lean_full_throttle" and Role.LAMBDA in log:
            return bool((full & (log[Role.LAMBDA] > 1.06 * log[Role.TARGET])).any())
        if finding == "tip_in_thin" and Role.LAMBDA in log:
            # Of the same readings the finding is about; that no table causes it is the car's truth.
            wide = log[Role.MAP] > 0.9 * car.car.truth.baro_kpa
            return bool((wide & (log[Role.LAMBDA] > 1.06 * log[Role.TARGET])).any())
        if finding == "trim_at_limit":
            return bool(np.nanmax(np.abs(log[Role.STFT])) > 19.8)
        if finding == "injector_duty":
            return bool(np.nanmax(log.get(Role.DUTY)) > 85.0)
        if finding == "cold_engine":
            return car.car.truth.cold_unburnt_per_k > 0.0 or car.car.truth.charge_heating > 0.0
        if finding == "air_temperature":
            # After a hot restart its sensor is soaked, and does misread.
            return car.car.truth.soak_k > 0.0
    return finding in OF_THE_CAR


def _seen(solution: Solution) -> dict[str, float]:
    """Strength of every fault that is seen long enough, whatever its probability."""
    conditions = solution.prepared.conditions
    out = {}
    with np.errstate(all="ignore"):
        for fault in FAULTS:
            seen = fault.look(conditions)
            if seen is None or fault.told(conditions, seen) is None:
                continue
            seconds = float(conditions.frame.log.durations_s[seen.mask].sum())
            out[fault.id] = (
                seen.strength if np.isfinite(seen.strength) else seconds / max(fault.least_s, 1e-9)
            )
    if solution.delay.estimated:
        out[SLOW_ID] = solution.delay.settings.sensor_s / SLOW_S
    return out


def _weights(solution: Solution) -> dict[str, float]:
    """Logarithm of the Bayes factor of every pattern that could show."""
    prepared = solution.prepared
    with np.errstate(all="ignore"):
        observations = prepared.observe(solution.sifted)
        spread = solution.settings.surface.film_spread
        report = find_patterns(prepared, observations, solution.estimate, spread)
    if report.evidence is None:
        return {}
    weights = report.evidence.weigh()
    return {p.id: round(w.log_factor, 3) for p, w in zip(report.patterns, weights, strict=True)}


def names(result: Trial) -> bool:
    """Whether the planted fault is named, alone or in a group."""
    return any(_is_named(one, result["fault"]) for one in result["told"])


def is_first(result: Trial) -> bool:
    """Whether it is told before everything that is not true of the car by itself."""
    others = [one for one in result["told"] if _is_named(one, result["fault"]) or not one["true"]]
    return bool(others) and _is_named(others[0], result["fault"])


def _is_named(one: Mapping[str, object], fault: str) -> bool:
    alike = one["alike"]
    assert isinstance(alike, list)
    return bool({one["id"], *alike} & set(EXPECTED[fault]))


def false_alarms(results: Sequence[Trial]) -> Counter[str]:
    """What was told of sound cars and is not true of them."""
    sound = [r for r in results if not r["fault"] and "failed" not in r]
    return Counter(one["id"] for r in sound for one in r["told"] if not one["true"])


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Trials that broke, and gross faults that were not named."""
    broke = [r for r in results if "failed" in r]
    missed = [r for r in results if "failed" not in r and r["strength"] == GROSS and not names(r)]
    return [*broke, *({"seed": r["seed"], "fault": r["fault"], "told": r["told"]} for r in missed)]


def _share(results: Sequence[Trial], told: bool) -> str:
    good = sum(1 for r in results if (names(r) if told else is_first(r)))
    return f"{good} / {len(results)}" if results else "–"


def _table(results: Sequence[Trial]) -> list[str]:
    good = [r for r in results if "failed" not in r]
    sound = [r for r in good if not r["fault"]]
    alarms = false_alarms(good)
    lines = [
        f"{HEALTHY} sound cars and {PER_FAULT} with each fault, drives of 8 to 25 min; strengths: "
        f"{BARELY:g} barely visible, {CLEAR:g} clear, {GROSS:g} gross. Named: the finding, or the "
        "group it stands in, is told. First: before everything that is not true of that random "
        "car or its table by itself (a table that is lean at full throttle, trims left on, "
        "impossible readings, cold fuel).",
        "",
        "| fault | named: barely | clear | gross | first: barely | clear | gross |",
        "|---|---|---|---|---|---|---|",
    ]
    for fault in NAMES:
        mine = [r for r in good if r["fault"] == fault]
        by = [[r for r in mine if r["strength"] == s] for s in (BARELY, CLEAR, GROSS)]
        cells = [_share(b, told=True) for b in by] + [_share(b, told=False) for b in by]
        lines.append(f"| {fault} | {' | '.join(cells)} |")
    lines += ["", f"False alarms in {len(sound)} sound drives, by finding: "]
    lines[-1] += ", ".join(f"{name} {n}" for name, n in alarms.most_common()) or "none"
    lines[-1] += "."
    return [*lines, "", *_calibration(good), "", *_odds(good)]


def _calibration(good: Sequence[Trial]) -> list[str]:
    """How often what is told with a probability is so, with every fault weighted to the stated prior."""
    lines = [
        f"How sure it says it is, and how often it is so (each fault in {100 * PRIOR:.0f} % of "
        "the drives):",
        "",
        "| said | findings | so, % |",
        "|---|---|---|",
    ]
    pairs = [
        (one["p"], _holds(one, r), _prior_weight(one, r, good)) for r in good for one in r["told"]
    ]
    for low, high in BINS:
        some = [(held, w) for p, held, w in pairs if low <= p < high]
        total = sum(w for _, w in some)
        so = sum(w for held, w in some if held)
        share = f"{100.0 * so / total:.0f}" if total else "–"
        lines.append(f"| {100 * low:.0f} to {min(100 * high, 100):.0f} % | {len(some)} | {share} |")
    return lines


def _holds(one: Mapping[str, object], result: Trial) -> bool:
    return bool(one["true"]) or bool(result["fault"] and _is_named(one, result["fault"]))


def _prior_weight(one: Mapping[str, object], result: Trial, good: Sequence[Trial]) -> float:
    """Drives with a fault are as many among these as they are not on the road."""
    planted = [r for r in good if r["fault"] and _is_named(one, r["fault"])]
    share = len(planted) / len(good)
    if not share:
        return 1.0
    return (
        PRIOR / share
        if result["fault"] and _is_named(one, result["fault"])
        else (1 - PRIOR) / (1 - share)
    )


def _odds(good: Sequence[Trial]) -> list[str]:
    """The two numbers of every finding as ``odds.ODDS`` should have them."""
    lines = [
        "Fitted odds, P = 1 / (1 + exp(-(a + b · ln strength))):",
        "",
        "| finding | a | b |",
        "|---|---|---|",
    ]
    for family, ids in FAMILIES.items():
        every = _fitted_family(good, ids, good)
        halves = [
            _fitted_family([r for r in good if r["seed"] % 2 == h], ids, good) for h in (0, 1)
        ]
        apart = "; ".join(f"{a:.2f}, {b:.2f}" for a, b in halves)
        lines.append(
            f"| {family} (even and odd cars alone: {apart}) | {every[0]:.2f} | {every[1]:.2f} |"
        )
    for fault in FAULTS:
        seen = [r for r in good if fault.id in r["seen"]]
        mine = [r for r in seen if r["fault"] and fault.id in EXPECTED[r["fault"]]]
        if not mine:
            continue
        x = np.log([max(r["seen"][fault.id], 1e-9) for r in seen])
        y = np.array([1.0 if r in mine else 0.0 for r in seen])
        w = np.array([_prior_weight({"id": fault.id, "alike": []}, r, good) for r in seen])
        a, b = fit_logistic(x, y, w)
        lines.append(
            f"| {fault.id} ({len(seen) - len(mine)} of {len(seen)} not planted) | {a:.2f} | "
            f"{b:.2f} |"
        )
    return lines


def _fitted_family(
    some: Sequence[Trial], ids: Sequence[str], good: Sequence[Trial]
) -> tuple[float, float]:
    """Odds of a family of patterns over the logarithm of the Bayes factor."""
    xs = []
    ys = []
    ws = []
    for result in some:
        weights = result["weights"]
        for name in set(ids) & set(weights):
            factor = weights[name]
            planted = bool(result["fault"]) and name in EXPECTED[result["fault"]]
            # What is told apart from what is true of the car: a soaked sensor is neither planted
            # nor sound.
            if not np.isfinite(factor) or (name == "air_temperature" and result.get("soaked")):
                continue
            if not planted and factor < max(weights.values()):
                # The likelier one is taken as there before this one is looked at.
                factor = min(factor, 0.0)
            xs.append(float(np.clip(factor, *FACTORS)))
            ys.append(planted)
            ws.append(_prior_weight({"id": name, "alike": []}, result, good))
    return fit_logistic(np.array(xs), np.array(ys, float), np.array(ws))


RIDGE = 0.02
FACTORS = (-6.0, 30.0)
"""Logarithms of Bayes factors beyond which one more or less says nothing."""


def fit_logistic(x: np.ndarray, y: np.ndarray, weight: np.ndarray) -> tuple[float, float]:
    """Constant and slope of the log odds; half a count either way keeps a perfect split finite."""
    x = np.concatenate([x, [x.mean()] * 2])
    y = np.concatenate([y, [0.0, 1.0]])
    weight = np.concatenate([weight, [0.5 * PRIOR, 0.5 * PRIOR]])
    design = np.stack([np.ones(len(x)), x], axis=1)
    found = np.zeros(2)
    for _ in range(60):
        share = 1.0 / (1.0 + np.exp(-np.clip(design @ found, -30.0, 30.0)))
        slope = design.T @ (weight * (y - share)) - RIDGE * found * [0.0, 1.0]
        curve = design.T @ (design * (weight * share * (1.0 - share))[:, None]) + np.diag(
            [1e-9, RIDGE]
        )
        found = found + np.clip(np.linalg.solve(curve, slope), -2.0, 2.0)
    return float(found[0]), float(found[1])


CAMPAIGN = Campaign(
    title="Faults found on random cars",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
    section="findings",
)

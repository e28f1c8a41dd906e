"""Everything a round's user turned away from its default, and how it is kept in the job file."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any, TypeVar, get_args

from lean_trim.core.data.vehicle import AIRFLOW_SOURCE_KINDS, AirflowSourceSettings
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.drive.gauge import GaugeWord
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.averages import AverageSettings
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.pipeline.carrying import CarrySettings
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.sieve.sieve import RULE_BITS, SieveSettings

Settings = TypeVar(
    "Settings",
    RegimeSettings,
    SurfaceSettings,
    AverageSettings,
    PolicySettings,
    AirflowSourceSettings,
    CarrySettings,
)
MOST_WORDS = 200
"""Letters of what makes a car another."""


@dataclass(frozen=True)
class Tuning:
    """Settings of one round.

    left_earlier : numbers of earlier rounds whose drives do not count here, by the user's word.
    car_changed : what makes the car another than before this round, "" for nothing; earlier drives end
        there.
    airflow_source : how the airflow source is told; None takes the vehicle sheet's word.
    """

    solve: SolveSettings = field(default_factory=SolveSettings)
    policy: PolicySettings = field(default_factory=PolicySettings)
    left_earlier: frozenset[int] = field(default_factory=frozenset)
    airflow_source: AirflowSourceSettings | None = None
    car_changed: str = ""


def tuning_text(tuning: Tuning) -> str:
    """As JSON; pins are left out, because they belong to a round.

    Parameters
    ----------
    tuning : settings of one round.

    Returns
    -------
    JSON.
    """
    solve = tuning.solve
    policy = {k: v for k, v in asdict(tuning.policy).items() if k != "pinned"}
    policy["regions"] = [list(word) for word in tuning.policy.regions]
    return json.dumps(
        {
            "method": solve.method,
            "fit_delay": solve.fit_delay,
            "gauge": solve.gauge,
            "regimes": asdict(solve.regimes),
            "sieve": dict(solve.sieve.changes),
            "disabled": sorted(solve.sieve.disabled),
            "surface": asdict(solve.surface),
            "averages": asdict(solve.averages),
            "policy": policy,
            "carrying": asdict(solve.carrying),
            "left_earlier": sorted(tuning.left_earlier),
            "car_changed": tuning.car_changed,
            "source": asdict(tuning.airflow_source) if tuning.airflow_source is not None else None,
        }
    )


def tuning_from(text: str) -> Tuning:
    """The inverse of ``tuning_text``.

    What is not understood (a setting of another version) takes its default.

    Parameters
    ----------
    text : JSON, perhaps damaged or of another version.

    Returns
    -------
    Settings, each within its range.
    """
    try:
        data = json.loads(text) if text else {}
    # Deeply nested text ends the parser this way.
    except (ValueError, RecursionError):
        data = {}
    data = data if isinstance(data, dict) else {}
    method = data.get("method")
    solve = SolveSettings(
        method="average" if method == "average" else "surface",
        fit_delay=data.get("fit_delay") is not False,
        gauge=_gauge_word(data.get("gauge")),
        regimes=_filled(RegimeSettings(), data.get("regimes")),
        sieve=_sieve(data),
        surface=_filled(SurfaceSettings(), data.get("surface")),
        averages=_filled(AverageSettings(), data.get("averages")),
        carrying=_filled(CarrySettings(), data.get("carrying")),
    )
    word = data.get("source")
    told = isinstance(word, dict) and word.get("kind") in AIRFLOW_SOURCE_KINDS
    source = _filled(AirflowSourceSettings(), word) if told else None
    numbers = data.get("left_earlier")
    changed = data.get("car_changed")
    whole = (
        # To Python true is 1, which would name a round.
        [n for n in numbers if isinstance(n, int) and not isinstance(n, bool)]
        if isinstance(numbers, list)
        else []
    )
    policy = _filled(PolicySettings(), data.get("policy"))
    return Tuning(
        solve=solve,
        policy=_with_regions(policy, data.get("policy")),
        left_earlier=frozenset(whole),
        car_changed=changed[:MOST_WORDS] if isinstance(changed, str) else "",
        airflow_source=source,
    )


def _with_regions(policy: PolicySettings, found: Any) -> PolicySettings:
    """The policy with the regions the user gave to cells, where all of them can be."""
    listed = found.get("regions") if isinstance(found, dict) else None
    if not isinstance(listed, list):
        return policy
    try:
        words = tuple((int(cell), str(region)) for cell, region in listed)
        return replace(policy, regions=words)
    except (BadInputError, TypeError, ValueError):
        return policy


def _gauge_word(found: Any) -> GaugeWord:
    words: tuple[GaugeWord, ...] = get_args(GaugeWord)
    return next((word for word in words if word == found), "unsaid")


def _sieve(data: dict[str, Any]) -> SieveSettings:
    off = data.get("disabled")
    changes = data.get("sieve")
    named = {name for name in off if isinstance(name, str)} if isinstance(off, list) else set()
    out = SieveSettings(disabled=frozenset(named) & frozenset(RULE_BITS))
    for key, value in changes.items() if isinstance(changes, dict) else ():
        try:
            out = SieveSettings({**out.changes, key: float(value)}, out.disabled)
        # One bad threshold must not take the others with it.
        except (BadInputError, TypeError, ValueError):
            continue
    return out


def _filled(default: Settings, found: Any) -> Settings:
    """The default with every value that is known and within its range."""
    out = default
    for name in (f.name for f in fields(default)):
        if (
            isinstance(found, dict)
            and name in found
            and name != "pinned"
            and _alike(found[name], getattr(default, name))
        ):
            try:
                out = replace(out, **{name: found[name]})
            except (BadInputError, TypeError, ValueError):
                continue
    return out


def _alike(value: Any, default: Any) -> bool:
    """True if a value is of the kind its default is: a switch, a number, a word."""
    if isinstance(default, bool) or isinstance(value, bool):
        return isinstance(default, bool) and isinstance(value, bool)
    return (
        isinstance(value, int | float)
        if isinstance(default, int | float)
        else isinstance(value, type(default))
    )

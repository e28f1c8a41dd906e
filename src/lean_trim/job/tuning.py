"""Everything a job's user turned away from its default, and how it is kept in the job file."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any, TypeVar

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.averages import AverageSettings
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.sieve.sieve import RULE_BITS, SieveSettings

KEY = "tuning"
Settings = TypeVar("Settings", RegimeSettings, SurfaceSettings, AverageSettings, PolicySettings, AirflowSourceSettings)


@dataclass(frozen=True)
class Tuning:
    """Settings of one job.

    earlier : numbers of earlier rounds whose logs count too.
    airflow_source : how the airflow source is told; None takes the vehicle sheet's word.
    """

    solve: SolveSettings = field(default_factory=SolveSettings)
    policy: PolicySettings = field(default_factory=PolicySettings)
    earlier: frozenset[int] = field(default_factory=frozenset)
    airflow_source: AirflowSourceSettings | None = None


def tuning_text(tuning: Tuning) -> str:
    """As JSON; pins are left out, because they belong to a round."""
    solve = tuning.solve
    policy = {k: v for k, v in asdict(tuning.policy).items() if k != "pinned"}
    return json.dumps(
        {
            "method": solve.method,
            "fit_delay": solve.fit_delay,
            "regimes": asdict(solve.regimes),
            "sieve": dict(solve.sieve.changes),
            "disabled": sorted(solve.sieve.disabled),
            "surface": asdict(solve.surface),
            "averages": asdict(solve.averages),
            "policy": policy,
            "earlier": sorted(tuning.earlier),
            "source": asdict(tuning.airflow_source) if tuning.airflow_source is not None else None,
        }
    )


def tuning_from(text: str) -> Tuning:
    """The inverse of ``tuning_text``; what is not understood (a setting of another version) takes its default."""
    try:
        data = json.loads(text) if text else {}
    except json.JSONDecodeError:
        data = {}
    data = data if isinstance(data, dict) else {}
    method = data.get("method")
    solve = SolveSettings(
        method="average" if method == "average" else "surface",
        fit_delay=bool(data.get("fit_delay", True)),
        regimes=_filled(RegimeSettings(), data.get("regimes")),
        sieve=_sieve(data),
        surface=_filled(SurfaceSettings(), data.get("surface")),
        averages=_filled(AverageSettings(), data.get("averages")),
    )
    source = _filled(AirflowSourceSettings(), data["source"]) if data.get("source") else None
    numbers = data.get("earlier")
    earlier = frozenset(int(n) for n in numbers) if isinstance(numbers, list) else frozenset()
    return Tuning(solve, _filled(PolicySettings(), data.get("policy")), earlier, source)


def _sieve(data: dict[str, Any]) -> SieveSettings:
    out = SieveSettings(disabled=frozenset(data.get("disabled", ())) & frozenset(RULE_BITS))
    for key, value in dict(data.get("sieve") or {}).items():
        try:
            out = SieveSettings({**out.changes, key: float(value)}, out.disabled)
        except (BadInputError, TypeError, ValueError):
            continue
    return out


def _filled(default: Settings, found: Any) -> Settings:
    """The default with every value that is known and within its range."""
    out = default
    for name in (f.name for f in fields(default)):
        if isinstance(found, dict) and name in found and name != "pinned":
            try:
                out = replace(out, **{name: found[name]})
            except (BadInputError, TypeError, ValueError):
                continue
    return out

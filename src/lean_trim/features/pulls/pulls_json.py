"""``pulls.json``: every pull of a drive with its figures."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lean_trim.core.pulls.pull import Pull
from lean_trim.core.pulls.pull_verdict import verdict_on_pull
from lean_trim.formats.whole_files import write_whole

FORMAT = "lean-trim pulls 1"


def pulls_dict(vehicle: str, baro_logged: bool, pulls: Sequence[Pull]) -> dict[str, Any]:
    """Pulls of one drive as plain values.

    Parameters
    ----------
    vehicle : its name.
    baro_logged : whether boost is over a measured barometer.
    pulls : in the order of time.

    Returns
    -------
    For JSON.
    """
    return {
        "format": FORMAT,
        "vehicle": vehicle,
        "barometer": "logged" if baro_logged else "standard atmosphere",
        "pulls": [_pull(*pair) for pair in zip(pulls, (None, *pulls), strict=False)],
    }


def _pull(pull: Pull, before: Pull | None) -> dict[str, Any]:
    return {
        "kind": pull.kind,
        "launch": pull.launch,
        "start_s": round(pull.start_s, 3),
        "end_s": round(pull.end_s, 3),
        "gear": pull.gear or None,
        "rpm_from": round(pull.rpm_from),
        "rpm_to": round(pull.rpm_to),
        "tip_in_thin_pct": _known(pull.tip_in_pct),
        "lambda_error_pct": {
            "mean": _known(pull.lambda_mean_pct),
            "worst_lean": _known(pull.lambda_lean_pct),
            "worst_rich": _known(pull.lambda_rich_pct),
            "lean_at_rpm": _known(pull.lean_rpm),
            "rich_at_rpm": _known(pull.rich_rpm),
        },
        "trims_pct": {"short": _known(pull.stft_pct), "long": _known(pull.ltft_pct)},
        "boost_kpa_peak": _known(pull.boost_kpa),
        "duty_pct_peak": _known(pull.duty_pct),
        "dp_drop_pct": _known(pull.dp_drop_pct),
        "knock_deg_max": _known(pull.knock_deg),
        "intake_c": {"from": _known(pull.intake_from_c), "to": _known(pull.intake_to_c)},
        "spark_deg_mean": _known(pull.spark_deg),
        "throttle_pct_max": _known(pull.throttle_pct),
        "times": dict(pull.times),
        "reached_s": dict(pull.reached),
        "not_airflow_until_s": round(pull.settles_s, 2),
        "enrichment_reached": pull.enriched,
        "verdict": str(verdict_on_pull(pull, before)),
        "faults": list(pull.faults),
    }


def _known(value: float) -> float | None:
    """A figure for JSON, which has no NaN."""
    return round(value, 3) if math.isfinite(value) else None


def write_pulls(vehicle: str, baro_logged: bool, pulls: Sequence[Pull], path: Path) -> None:
    """Write the pulls of one drive, replacing the file only when all of it is written.

    Parameters
    ----------
    vehicle, baro_logged, pulls : as for ``pulls_dict``.
    path : replaced if it exists.
    """
    write_whole(
        path, json.dumps(pulls_dict(vehicle, baro_logged, pulls), indent=1, ensure_ascii=False)
    )

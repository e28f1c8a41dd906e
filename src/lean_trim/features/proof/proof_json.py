"""proof.json: a round judged by the next drive, for other people's scripts."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from lean_trim.core.proving.outcome import Outcome
from lean_trim.core.proving.proof import Proof
from lean_trim.formats.whole_files import write_whole


def proof_dict(proof: Proof) -> dict[str, Any]:
    """A proof as plain values; unknown numbers become null.

    Parameters
    ----------
    proof : of one round.

    Returns
    -------
    As docs/formats.md describes it.
    """
    s = proof.stopping
    return {
        "format": "lean-trim proof 1",
        "verdict": proof.verdict,
        "took": _took(proof),
        "regions": {(o.name or "all"): _outcome(o) for o in proof.outcomes},
        "flips": _plain(s.flips),
        "stop": proof.stops,
        "stopping": {
            "step_rms_pct": _plain(s.step_pct),
            "last_step_rms_pct": _plain(s.last_pct),
            "held_back_rms_pct": _plain(s.held_pct),
            "driven_cells_over_3_pct": s.off_cells,
            "leanest_pct": _plain(s.worst_lean_pct),
        },
        "conditions": [
            {
                "channel": c.label,
                "unit": c.unit,
                "before": _plain(c.before),
                "now": _plain(c.now),
                "differs": c.differs,
            }
            for c in proof.conditions
        ],
        "message": str(proof.outcome_said),
        "next": str(proof.next_said),
        "beside": [str(said) for said in proof.beside],
    }


def _took(proof: Proof) -> dict[str, Any]:
    """Which table is in the ECU."""
    t = proof.transfer
    return {
        "in_ecu": t.kind,
        "name": t.name,
        "by": t.route,
        "probability": _plain(t.probability),
        "written_rms_pct": _plain(t.step_pct),
        "places": t.places,
        "seconds": _plain(t.seconds),
        "misfit": _plain(t.misfit),
        "regions": {
            name: {"share": _plain(share), "std_error": _plain(error)}
            for name, (share, error) in (t.taken or {}).items()
        },
        "message": str(proof.took_said),
    }


def _outcome(o: Outcome) -> dict[str, Any]:
    """What became of one region."""
    return {
        "verdict": o.word,
        "before_rms_pct": _plain(o.before_pct),
        "expected_rms_pct": _plain(o.expected_pct),
        "expected_std_error_pct": _plain(o.expected_error_pct),
        "observed_rms_pct": _plain(o.observed_pct),
        "observed_std_error_pct": _plain(o.observed_error_pct),
        "shift_pct": _plain(o.shift_pct),
        "leanest_pct": _plain(o.lean_pct),
        "seconds": _plain(o.seconds),
        "places": o.places,
    }


def _plain(value: float) -> float | None:
    return round(float(value), 4) if math.isfinite(value) else None


def write_proof(proof: Proof, path: Path) -> None:
    """Write ``proof_dict`` as JSON.

    Parameters
    ----------
    proof : of one round.
    path : replaced if it exists.
    """
    write_whole(path, json.dumps(proof_dict(proof), indent=1, ensure_ascii=False, allow_nan=False))

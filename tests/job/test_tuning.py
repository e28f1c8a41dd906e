"""What was turned is kept as text and read back; what is not understood takes its default."""

from __future__ import annotations

import json

import pytest

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.sieve.sieve import SieveSettings
from lean_trim.job.tuning import Tuning, tuning_from, tuning_text

TURNED = Tuning(
    SolveSettings(
        "average",
        False,
        sieve=SieveSettings({"tip.after_s": 0.4}, frozenset({"slip"})),
        surface=SurfaceSettings(prior_pct=12.0),
    ),
    PolicySettings(gain_idle=0.5, unvisited="taper", extrapolate_end=True),
    frozenset({1, 3}),
    AirflowSourceSettings("rule", 2500.0, 80.0),
)


@pytest.mark.parametrize("tuning", [Tuning(), TURNED])
def test_what_is_written_reads_back(tuning: Tuning) -> None:
    assert tuning_from(tuning_text(tuning)) == tuning


@pytest.mark.parametrize("text", ["", "nonsense", "[1, 2]", "{}"])
def test_what_cannot_be_read_is_the_default(text: str) -> None:
    assert tuning_from(text) == Tuning()


def test_single_values_out_of_range_or_unknown_take_their_default() -> None:
    data = json.loads(tuning_text(TURNED))
    data["sieve"] = {"tip.after_s": 0.4, "tip.colour": 3.0, "cold.below_c": 500.0}
    data["policy"]["gain_idle"] = 7.0
    data["policy"]["unvisited"] = "melt"
    data["surface"]["prior_pct"] = "much"
    found = tuning_from(json.dumps(data))
    assert found.solve.sieve.changes == {"tip.after_s": 0.4}
    assert found.policy.gain_idle == 1.0
    assert found.policy.unvisited == "filled"
    assert found.policy.extrapolate_end
    assert found.solve.surface == SurfaceSettings()

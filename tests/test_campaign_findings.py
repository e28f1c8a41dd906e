"""How the campaign of findings counts: what is named, what is first, what is a false alarm, and its odds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from campaigns.faulty_cars import COUNT, HEALTHY, NAMES, PER_FAULT, PLANTS
from campaigns.findings import EXPECTED, false_alarms, fit_logistic, is_first, names
from campaigns.runner import Trial, write_section
from lean_trim.core.diagnosis.patterns.registry import PATTERNS
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.simcar.faults import KINDS


def told(
    finding: str, p: float = 1.0, alike: tuple[str, ...] = (), true: bool = False
) -> dict[str, object]:
    return {"id": finding, "p": p, "alike": list(alike), "true": true}


def trial(fault: str, *findings: dict[str, object]) -> Trial:
    return {
        "seed": 1,
        "fault": fault,
        "strength": 1.0,
        "told": list(findings),
        "seen": {},
        "weights": {},
    }


def test_a_fault_is_named_alone_or_in_its_group() -> None:
    assert names(trial("dead time", told("dead_time")))
    assert names(trial("dead time", told("exhaust_leak", alike=("dead_time",))))
    assert not names(trial("dead time", told("exhaust_leak")))


def test_it_is_first_where_only_what_is_true_of_the_car_stands_before_it() -> None:
    lean = told("lean_full_throttle", true=True)
    assert is_first(trial("pump", lean, told("fuel_pressure")))
    assert not is_first(trial("pump", told("knock"), told("fuel_pressure")))
    assert not is_first(trial("pump"))


def test_what_is_true_of_a_sound_car_is_no_false_alarm() -> None:
    sound = [trial("", told("knock"), told("injector_duty", true=True)), trial("", told("knock"))]
    assert false_alarms([*sound, trial("pump", told("misfire"))]) == {"knock": 2}


def test_every_planted_fault_is_one_the_car_can_have_and_a_finding_can_name() -> None:
    known = {f.id for f in FAULTS} | {p.id for p in PATTERNS} | {"sensor_slow"}
    assert set(EXPECTED) == set(PLANTS)
    for fault, plant in PLANTS.items():
        assert not plant.simulated or plant.simulated in KINDS
        assert set(EXPECTED[fault]) <= known
    assert HEALTHY + PER_FAULT * len(NAMES) == COUNT


def test_odds_are_those_of_a_statistics_package() -> None:
    """Against a binomial model of statsmodels, which knows neither the ridge nor the half counts."""
    rng = np.random.default_rng(3)
    x = rng.normal(0.0, 2.0, 4000)
    y = (rng.random(4000) < 1.0 / (1.0 + np.exp(-(-1.0 + 0.8 * x)))).astype(float)
    found = fit_logistic(x, y, np.ones(4000))
    # Costs every worker a second where it is imported above.
    import statsmodels.api as sm

    model = sm.GLM(y, sm.add_constant(x), family=sm.families.Binomial()).fit()
    assert found == pytest.approx(tuple(model.params), abs=0.02)


def test_a_section_is_replaced_and_nothing_else(tmp_path: Path) -> None:
    page = tmp_path / "page.md"
    page.write_text("a\n<!-- x -->\nold\n<!-- end of x -->\nb\n", encoding="utf-8")
    write_section(page, "x", ["| 1 |"])
    assert page.read_text(encoding="utf-8") == "a\n<!-- x -->\n| 1 |\n<!-- end of x -->\nb\n"
    with pytest.raises(ValueError, match="no marks for y"):
        write_section(page, "y", [])

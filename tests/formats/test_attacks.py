"""A sample of ``./campaign attacks``: other people's words, scales and layouts."""

from __future__ import annotations

from pathlib import Path

import pytest

from campaigns.attacking.attack import attack, is_held_out
from campaigns.attacking.vocabulary import LANGUAGES, ROLES, names_of
from campaigns.attacks import judge
from campaigns.dressing.cars import drive_of


@pytest.mark.slow
@pytest.mark.parametrize("seed", [2, 26, 41, 88, 137, 258, 302, 338, 451, 506, 622, 784])
def test_no_attack_is_read_wrongly_and_no_option_leads_there(seed: int, tmp_path: Path) -> None:
    dress = attack(seed)
    vehicle, log = drive_of(dress.car)
    result = judge(dress, log, vehicle, tmp_path)
    assert result["outcome"] != "wrong", result["why"]
    assert not str(result["followed"]).startswith(("wrong", "named", "no end")), result


def test_half_of_the_names_are_held_out() -> None:
    names = [n for role in ROLES for language in LANGUAGES for n in names_of(role, language)]
    assert 0.4 < sum(map(is_held_out, names)) / len(names) < 0.6

"""One drive in many dresses; ``./campaign dresses`` wears all of them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from campaigns.dresses import judge
from campaigns.dressing.dress import Dress
from campaigns.dressing.naming import NAMED, random_dress
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle

BY_NAME = {d.name: d for d in NAMED}
SAMPLE = (
    "names J1979, decoys",
    "names fr, no units",
    "names zh, semicolons, units in a row",
    "ru in cp1251",
    "ja in cp932",
    "pl in cp1250",
    "utf-16-be mark 2",
    "header cells",
    "delimiter pipe, decimal comma",
    "one blank",
    "quoted decimal comma",
    "thousands '.' decimal ','",
    "Unicode minus",
    "preamble, footer, semicolons",
    "repeated header and units row",
    "trailing separators",
    "time m:s, header none",
    "time am pm, header brackets",
    "time day serial, header none",
    "time epoch ms, header none",
    "shape long, de",
    "shape groups, plain",
    "shape slow blank, short",
    "packed xz",
    "packed zip",
    "file mdf3",
    "file xlsx",
    "file mat struct",
    "file jsonl",
    "file candump",
    "pressure gauge psi, header none",
    "temperature K, header none",
    "mixture AFR 14.7, header none",
    "trims fraction, header none",
    "trims of 100, header brackets",
    "pulse width s, header none",
    "state CL/OL",
)


@pytest.fixture(scope="module")
def short_log(heron_log: Log) -> Log:
    """Every fourth row of the second half, for writing takes longer than reading."""
    part = slice(len(heron_log) // 2, None, 4)
    start = heron_log.time_s[part][0]
    return Log(
        heron_log.time_s[part] - start, {r: v[part] for r, v in heron_log.channels.items()}, "drive"
    )


@pytest.mark.parametrize("name", SAMPLE)
def test_a_clear_dress_is_read_right(
    name: str, short_log: Log, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    result = judge(BY_NAME[name], short_log, heron_vehicle, tmp_path)
    assert (result["outcome"], result["why"]) == ("right", "")


@pytest.mark.parametrize("seed", range(1000, 1006))
def test_no_random_dress_is_read_wrongly(
    seed: int, short_log: Log, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    result = judge(random_dress(seed), short_log, heron_vehicle, tmp_path)
    assert result["outcome"] != "wrong", result["why"]


@pytest.mark.parametrize(
    ("dress", "words"),
    [
        (replace(BY_NAME["pressure gauge kPa, no barometer"], name="gauge"), "barometer"),
        (replace(BY_NAME["trims fraction, no pulse width"], name="fraction"), "fraction or %"),
        (Dress(name="bare commas", decimal=",", delimiter=",", marks={"bare": True}), ""),
    ],
)
def test_what_cannot_be_told_is_asked_or_refused(
    dress: Dress, words: str, short_log: Log, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    result = judge(dress, short_log, heron_vehicle, tmp_path)
    assert result["outcome"] in ("asked", "refused") if words else result["outcome"] != "wrong"
    assert words in result["why"]


def test_a_column_that_only_sounds_right_is_never_taken(
    short_log: Log, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    """Limits, targets, errors and the sensor behind the converter, with the channels themselves left out."""
    for role in (Role.RPM, Role.LAMBDA, Role.STFT):
        dress = Dress(name=f"without {role}", decoys=True, without=frozenset((role,)))
        result = judge(dress, short_log, heron_vehicle, tmp_path)
        assert "never logged" not in result["why"], result["why"]

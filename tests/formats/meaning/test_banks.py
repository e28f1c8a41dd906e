"""Two banks: a λ goes with the trims of its own."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.meaning.channel_map import map_channels

TIME = np.arange(0.0, 60.0, 0.1)
WAVE = np.sin(TIME)


def mapped(names: dict[str, np.ndarray]) -> dict[Role, np.ndarray]:
    columns = [Column(i, n, u) for i, (n, _, u) in enumerate((*n.partition("|"),) for n in names)]
    columns = [Column(c.index, c.name.strip(), c.unit.strip()) for c in columns]
    raw = RawColumns(tuple(columns), dict(enumerate(names.values())), "text")
    found = map_channels(raw, "two banks", 14.7)
    return dict(found.log.channels)


def log(lambdas: tuple[str, ...]) -> dict[Role, np.ndarray]:
    names = {"Time | s": TIME, "RPM | rpm": 2000.0 + 500.0 * WAVE, "MAP | kPa": 50.0 + 20.0 * WAVE}
    names |= {f"{n} | λ": 1.0 + 0.02 * WAVE for n in lambdas}
    trims = {"STFT B1 | %": 2.0 * WAVE, "STFT B2 | %": 10.0 + 2.0 * WAVE}
    long = {"LTFT B1 | %": 3.0 + WAVE, "LTFT B2 | %": 7.0 + WAVE}
    return mapped({**names, **trims, **long})


@pytest.mark.parametrize(
    ("name", "short", "long"), [("Lambda B1", 0.0, 3.0), ("Lambda B2", 10.0, 7.0)]
)
def test_the_only_lambda_goes_with_the_trims_of_its_bank(
    name: str, short: float, long: float
) -> None:
    channels = log((name,))
    assert np.median(channels[Role.STFT]) == pytest.approx(short, abs=0.3)
    assert np.median(channels[Role.LTFT]) == pytest.approx(long, abs=0.3)


@pytest.mark.parametrize("names", [("Lambda",), ("Lambda B1", "Lambda B2")])
def test_a_lambda_of_both_banks_goes_with_their_mean(names: tuple[str, ...]) -> None:
    assert np.median(log(names)[Role.STFT]) == pytest.approx(5.0, abs=0.3)


def test_the_difference_of_the_banks_is_kept_beside_their_mean() -> None:
    gap = log(("Lambda B1", "Lambda B2"))[Role.BANK_GAP]
    wanted = 100.0 * (
        (1.0 + 0.02 * WAVE) * (1.03 + 0.01 * WAVE) / ((1.1 + 0.02 * WAVE) * (1.07 + 0.01 * WAVE))
        - 1.0
    )
    np.testing.assert_allclose(gap, wanted, atol=0.01)
    assert Role.BANK_GAP not in log(("Lambda B1",))


def test_a_bank_without_lambda_leaves_the_difference_open() -> None:
    one = 1.0 + 0.02 * WAVE
    two = np.where(TIME < 20.0, np.nan, 1.05 * one)
    names = {"Time | s": TIME, "RPM | rpm": 2000.0 + 500.0 * WAVE, "MAP | kPa": 50.0 + 20.0 * WAVE}
    gap = mapped({**names, "Lambda B1 | λ": one, "Lambda B2 | λ": two})[Role.BANK_GAP]
    assert np.isnan(gap[TIME < 19.0]).all()
    np.testing.assert_allclose(gap[TIME > 21.0], 100.0 / 1.05 - 100.0, atol=0.01)


def test_a_difference_that_was_written_is_read_again(tmp_path: Path) -> None:
    channels = log(("Lambda B1", "Lambda B2"))
    write_log_csv(Log(TIME, channels, "banks"), tmp_path / "banks.csv")
    again = open_log(tmp_path / "banks.csv", 14.7).log
    np.testing.assert_allclose(again[Role.BANK_GAP], channels[Role.BANK_GAP], atol=0.001)

"""Two banks: a λ goes with the trims of its own."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.formats.decode.columns import Column, RawColumns
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


@pytest.mark.parametrize(("name", "short", "long"), [("Lambda B1", 0.0, 3.0), ("Lambda B2", 10.0, 7.0)])
def test_the_only_lambda_goes_with_the_trims_of_its_bank(name: str, short: float, long: float) -> None:
    channels = log((name,))
    assert np.median(channels[Role.STFT]) == pytest.approx(short, abs=0.3)
    assert np.median(channels[Role.LTFT]) == pytest.approx(long, abs=0.3)


@pytest.mark.parametrize("names", [("Lambda",), ("Lambda B1", "Lambda B2")])
def test_a_lambda_of_both_banks_goes_with_their_mean(names: tuple[str, ...]) -> None:
    assert np.median(log(names)[Role.STFT]) == pytest.approx(5.0, abs=0.3)

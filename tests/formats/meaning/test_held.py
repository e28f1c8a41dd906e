"""Blanks between changes hold the last reading; blanks of channels that are polled do not."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.decode.text.preamble import stated_rate_hz
from lean_trim.formats.meaning.held import held_between_changes


def table(columns: dict[str, np.ndarray]) -> RawColumns:
    return RawColumns(
        tuple(Column(i, name, "") for i, name in enumerate(columns)),
        dict(enumerate(columns.values())),
        "text",
    )


def on_change(values: np.ndarray) -> np.ndarray:
    changed = np.concatenate([[True], np.diff(values) != 0.0])
    return np.where(changed, values, np.nan)


def test_what_is_written_on_change_is_held(heron_log: Log) -> None:
    whole = {str(role): np.round(v, 1) for role, v in heron_log.channels.items()}
    raw = held_between_changes(table({name: on_change(v) for name, v in whole.items()}))
    assert "only changes are written" in raw.notes[-1]
    for i, values in enumerate(whole.values()):
        np.testing.assert_array_equal(raw.values[i], values)


def test_polled_channels_and_lost_cells_are_left_as_they_are(heron_log: Log) -> None:
    rows = np.arange(len(heron_log))
    whole = [np.round(v, 1) for v in heron_log.channels.values()][:8]
    polled = {str(i): np.where(rows % 8 == i, v, np.nan) for i, v in enumerate(whole)}
    lost = np.random.default_rng(2).random((8, len(rows))) < 0.3
    dropped = {str(i): np.where(lost[i], np.nan, v) for i, v in enumerate(whole)}
    for columns in (polled, dropped):
        raw = table(columns)
        assert held_between_changes(raw) is raw


@pytest.mark.parametrize(
    ("lines", "rate"),
    [
        (["Abtastrate: 25 Hz"], 25.0),
        (["# Sample interval: 40 ms", ""], 25.0),
        (["Fréquence d'échantillonnage;12,5 Hz"], 12.5),
        (["Период записи 0.1 s"], 10.0),
        (["采样周期: 20 ms"], 50.0),
        (["Idle speed 850", "Weight: 1200 kg"], 0.0),
        (["Sample rate: 25 Hz", "Interval: 10 ms"], 0.0),
        (["Delay 40 ms"], 0.0),
        ([], 0.0),
    ],
)
def test_the_head_of_a_file_may_say_how_often_a_row_is_written(
    lines: list[str], rate: float
) -> None:
    assert stated_rate_hz(lines) == pytest.approx(rate)

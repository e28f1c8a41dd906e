"""Lines of wideband controllers and home-made loggers, whole, half and strange."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.formats.recording.frames import Channel
from lean_trim.live.lines.parsing import LineReader


def test_json_pairs_and_values_below_a_heading() -> None:
    reader = LineReader()
    assert reader.read('{"lambda": 0.981, "egt (°C)": 705, "id": "x", "ok": true}') == {
        Channel("lambda"): 0.981,
        Channel("egt", "°C"): 705.0,
        Channel("ok"): 1.0,
    }
    assert reader.read("rpm=2500 lambda=0.98;map: 45.5") == {
        Channel("rpm"): 2500.0,
        Channel("lambda"): 0.98,
        Channel("map"): 45.5,
    }
    assert reader.read("rpm, lambda (λ)") is None
    assert reader.read("2500, 0.98") == {Channel("rpm"): 2500.0, Channel("lambda", "λ"): 0.98}
    assert reader.read("2500,0.98") == {Channel("rpm"): 2500.0, Channel("lambda", "λ"): 0.98}


def test_decimal_commas_and_blanks() -> None:
    reader = LineReader(["rpm", "lambda"])
    assert reader.read("2500;0,98") == {Channel("rpm"): 2500.0, Channel("lambda"): 0.98}
    said = reader.read("2500;---")
    assert said is not None and math.isnan(said[Channel("lambda")])


@pytest.mark.parametrize(
    "line",
    ["", "# remark", "2500", "2500;0.98;7", "2500;0.9x", "{broken", "[1,2]", "rpm=2500 lam", "{}"],
)
def test_what_is_no_whole_line_says_nothing(line: str) -> None:
    assert LineReader(["rpm", "lambda"]).read(line) is None


@given(st.text(max_size=80))
def test_no_line_does_harm(line: str) -> None:
    said = LineReader(["a", "b"]).read(line)
    assert said is None or all(isinstance(v, float) for v in said.values())

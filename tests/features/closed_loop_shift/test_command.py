"""``lean-trim shift`` as a user runs it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import polars as pl
import pytest

from lean_trim.cli.main import BAD_INPUT, DONE, main
from lean_trim.core.closed_loop_shift.feed_forward import first_feed_forward
from lean_trim.formats.logs import write_log_csv
from tests.core.closed_loop_shift.test_remaining import NEEDED, PRESSURE
from tests.core.closed_loop_shift.test_remaining import drive as second_drive
from tests.core.closed_loop_shift.test_settled_steps import drive

STEPS = """offset (V);AFR;STFT (%)
0;14,7;0
-0,1;14,7;0
-0,3;14,7;0
-0,35;13,0;11
-0,40;12,5;20
-0,42;12,0;26
-0,45;11,5;33
"""
WANTED = """MAP (kPa) \\ engine speed (rpm),1000,2000,3000
40,1.0,1.0,1.0
100,1.0,0.95,0.87
140,0.87,0.85,0.82
"""


@pytest.fixture
def files(tmp_path: Path) -> list[str]:
    (tmp_path / "steps.csv").write_text(STEPS, encoding="utf-8")
    (tmp_path / "wanted.csv").write_text(WANTED, encoding="utf-8")
    words = ["shift", "--steps", str(tmp_path / "steps.csv")]
    return [*words, "--wanted", str(tmp_path / "wanted.csv"), "--out", str(tmp_path / "out")]


def test_every_cell_is_set_or_refused_with_the_caution(
    files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(files) == DONE
    told = capsys.readouterr().out
    assert "8 cells set, 1 refused." in told and "one step of the box" in told
    assert "lawful" in told and "independent wideband" in told
    rows = (tmp_path / "out" / "shift.csv").read_text(encoding="utf-8").splitlines()
    assert rows[0].endswith(",1000,2000,3000") and rows[1] == "40,0.000,0.000,0.000"
    # What is refused is not shifted.
    assert rows[2].split(",")[2] == "0.000" and float(rows[3].split(",")[2]) == pytest.approx(
        -0.4, abs=2e-3
    )
    kept = json.loads((tmp_path / "out" / "shift.json").read_text(encoding="utf-8"))
    assert kept["refused"][0]["cell"] == [1, 1] and kept["own_lambda"] == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("steps", "said"),
    [
        ("a,b,c\n1,2,3\n", "has to name the columns"),
        (STEPS.replace("14,7;0\n-0,1", "x;0\n-0,1"), "line 2: a step has three numbers"),
        ("\n".join(STEPS.splitlines()[:4]), "at least 5 are needed"),
    ],
)
def test_a_wrong_test_is_refused_in_one_line(
    files: list[str], tmp_path: Path, steps: str, said: str, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "steps.csv").write_text(steps, encoding="utf-8")
    assert main(files) == BAD_INPUT
    told = capsys.readouterr().err
    assert said in told and told.count("\n") == 1 and not (tmp_path / "out").exists()


def test_the_steps_are_found_in_a_log(
    files: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    time, value, lam, trim = drive()
    data = {"Time (s)": time, "RPM": 2000 + 5 * np.sin(time), "Lambda": lam, "STFT (%)": trim}
    pl.DataFrame({**data, "Box": value}).write_csv(tmp_path / "test.csv")
    words = ["shift", "--log", str(tmp_path / "test.csv"), *files[3:]]
    assert main([*words, "--column", "Box"]) == DONE
    rows = (tmp_path / "out" / "shift.csv").read_text(encoding="utf-8").splitlines()
    # Lambda falls by 0.02 a tenth of a volt: 0.95 is met at -0.25 V.
    assert float(rows[2].split(",")[2]) == pytest.approx(-0.25, abs=0.01)
    capsys.readouterr()
    assert main([*words, "--column", "Bax"]) == BAD_INPUT
    assert "no column 'Bax'" in capsys.readouterr().err
    assert main(words) == BAD_INPUT and "--column" in capsys.readouterr().err


def test_the_second_pass_writes_what_the_trims_ask(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    fed = first_feed_forward(NEEDED)
    rows = [
        f"{p:g}," + ",".join(f"{v:.1f}" for v in row) for p, row in zip(PRESSURE, fed, strict=True)
    ]
    table = "kPa\\rpm,1000,2000,3000\n" + "\n".join(rows) + "\n"
    (tmp_path / "ff.csv").write_text(table, encoding="utf-8")
    write_log_csv(second_drive(fed, 7), tmp_path / "drive.csv")
    words = ["shift", "--second-pass", str(tmp_path / "drive.csv"), "--out", str(tmp_path / "out")]
    assert main([*words, "--feed-forward", str(tmp_path / "ff.csv")]) == DONE
    assert "9 of 9 cells" in capsys.readouterr().out
    lines = (tmp_path / "out" / "feed_forward.csv").read_text(encoding="utf-8").splitlines()
    told = np.array([[float(v) for v in line.split(",")[1:]] for line in lines[1:]])
    assert told == pytest.approx(NEEDED, abs=0.5)
    assert main(words) == BAD_INPUT and "--feed-forward" in capsys.readouterr().err

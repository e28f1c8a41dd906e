"""The commands as other people's scripts call them."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from campaigns.dressing.dress import Dress
from campaigns.dressing.writing import write
from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.tables import read_table, write_table
from lean_trim.formats.vehicle_sheet import write_vehicle
from tests.builders import small_vehicle, with_channel, without
from tests.core.drive.test_gauge import beside


@pytest.fixture
def case(tmp_path: Path, heron_vehicle: Vehicle, short_log: Log) -> Path:
    write_vehicle(heron_vehicle, tmp_path)
    write_log_csv(short_log, tmp_path / "drive.csv")
    return tmp_path


def correct(case: Path, *more: str) -> int:
    return main(
        [
            "correct",
            "--vehicle",
            str(case / "vehicle.json"),
            "--log",
            str(case / "drive.csv"),
            "--out",
            str(case / "out"),
            *more,
        ]
    )


@pytest.mark.parametrize("method", ["surface", "average"])
def test_correct_writes_table_and_round(case: Path, heron_vehicle: Vehicle, method: str) -> None:
    assert correct(case, "--method", method) == 0
    table = read_table(case / "out" / "ve.csv", "ve")
    assert table.same_axes(heron_vehicle.table)
    data = json.loads((case / "out" / "round.json").read_text())
    assert data["method"] == method
    changed = [c for c in data["cells"] if c["status"] == "corrected"]
    assert len(changed) > 30
    assert all(
        c["after"] == pytest.approx(table.lookup([c["map_kpa"]], [c["rpm"]])[0])
        for c in data["cells"]
    )


def test_gain_zero_changes_nothing_and_half_does_half(
    case: Path, heron_vehicle: Vehicle, heron_log: Log
) -> None:
    # In a short drive a step limit cuts what is asked.
    write_log_csv(heron_log, case / "drive.csv")
    correct(case, "--gain", "0")
    assert (read_table(case / "out" / "ve.csv", "ve").values == heron_vehicle.table.values).all()
    keep = ("--unvisited", "keep")
    correct(case, *keep)
    full = read_table(case / "out" / "ve.csv", "ve").values / heron_vehicle.table.values - 1
    correct(case, "--gain", "0.5", *keep)
    half = read_table(case / "out" / "ve.csv", "ve").values / heron_vehicle.table.values - 1
    assert abs(half - full / 2).max() < 0.002


def test_more_samples_than_fit_in_one_piece_are_solved_log_by_log(
    case: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    again = case / "again.csv"
    again.write_bytes((case / "drive.csv").read_bytes())
    correct(case, "--log", str(again))
    whole = json.loads((case / "out" / "round.json").read_text())
    monkeypatch.setattr("lean_trim.core.pipeline.batch.MOST_JOINT", 10_000)
    correct(case, "--log", str(again))
    season = json.loads((case / "out" / "round.json").read_text())
    assert [log["name"] for log in season["logs"]] == ["drive.csv", "again.csv"]
    assert season["samples"]["total"] == whole["samples"]["total"]
    pairs = zip(season["cells"], whole["cells"], strict=True)
    assert max(abs(a["after"] / b["after"] - 1.0) for a, b in pairs) < 0.01
    assert season.keys() == whole.keys()
    assert correct(case, "--log", str(again), "--method", "average") == 2
    assert "surface" in capsys.readouterr().err


def test_simulate_writes_a_log_that_opens(case: Path) -> None:
    out = case / "sim" / "log.csv"
    words = [
        "simulate",
        "--vehicle",
        str(case / "vehicle.json"),
        "--out",
        str(out),
        "--minutes",
        "0.5",
        "--seed",
        "9",
    ]
    assert main(words) == 0
    log = open_log(out, 14.1).log
    assert log.duration_s == pytest.approx(30.0, abs=0.2)
    assert Role.PULSE_WIDTH in log


def test_simulate_streams_to_standard_output(
    case: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert (
        main(
            ["simulate", "--vehicle", str(case / "vehicle.json"), "--out", "-", "--minutes", "0.3"]
        )
        == 0
    )
    lines = capsys.readouterr().out.splitlines()
    assert lines[0].startswith("Time,Engine speed")
    assert len(lines) == 2 + 450


def spoil(case: Path, what: str, short_log: Log) -> None:
    if what == "missing channel":
        write_log_csv(without(short_log, Role.MAP), case / "drive.csv")
    elif what == "empty log":
        (case / "drive.csv").write_text("")
    elif what == "no such log":
        (case / "drive.csv").unlink()
    elif what == "nan axis":
        (case / "ve.csv").write_text("kPa\\rpm,800,nan\n20,1,2\n30,1,2\n")
    elif what == "axis not rising":
        (case / "ve.csv").write_text("kPa\\rpm,800,700\n20,1,2\n30,1,2\n")
    elif what == "another shape":
        (case / "ve.csv").write_text("kPa\\rpm,800,900\n20,1,2\n30,1\n")
    elif what == "bad sheet":
        (case / "vehicle.json").write_text("{}")


@pytest.mark.parametrize(
    ("what", "words"),
    [
        ("missing channel", "lacks manifold pressure"),
        ("empty log", "drive.csv: the file is empty"),
        ("no such log", "drive.csv: cannot be read"),
        ("nan axis", "ve.csv: the engine speed axis has no number at point 2"),
        ("axis not rising", "800 is followed by 700"),
        ("another shape", "ve.csv, line 3: 1 cells, the header has 2"),
        ("bad sheet", "key airflow is None"),
    ],
)
def test_bad_input_gives_one_line_and_exit_2(
    case: Path, short_log: Log, capsys: pytest.CaptureFixture[str], what: str, words: str
) -> None:
    spoil(case, what, short_log)
    assert correct(case) == 2
    captured = capsys.readouterr()
    assert captured.err.count("\n") == 1
    assert words in captured.err
    assert not (case / "out").exists()


def test_wrong_words_exit_2_with_one_line() -> None:
    for words in (
        ["correct"],
        ["correct", "--gain", "x"],
        ["--nonsense"],
        ["a.leantrim", "b"],
        ["absent.leantrim"],
    ):
        run = subprocess.run(
            [sys.executable, "-m", "lean_trim", *words], capture_output=True, text=True, check=False
        )
        assert run.returncode == 2, words
        assert run.stderr.count("\n") == 1, run.stderr
        # What is wrong is named, not what would come after it.
        assert words != ["--nonsense"] or "'--nonsense' is not an option" in run.stderr
    run = subprocess.run(
        [sys.executable, "-m", "lean_trim", "--version"], capture_output=True, text=True, check=True
    )
    assert run.stdout.startswith("lean-trim ")


def test_impossible_gain_is_bad_input(case: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert correct(case, "--gain", "1.5") == 2
    assert "allowed is 0 to 1" in capsys.readouterr().err


def test_shares_by_regime_knobs_and_rules_reach_the_round(
    case: Path, heron_vehicle: Vehicle
) -> None:
    assert correct(case) == 0
    whole = read_table(case / "out" / "ve.csv", "ve").values / heron_vehicle.table.values - 1.0
    assert (
        correct(
            case, "--regime-gain", "boost=0.5", "--sieve", "tip.after_s=0.6", "--sieve-off", "slip"
        )
        == 0
    )
    part = read_table(case / "out" / "ve.csv", "ve").values / heron_vehicle.table.values - 1.0
    assert abs(part[10:]).max() == pytest.approx(abs(whole[10:]).max() / 2, rel=0.1)
    found = json.loads((case / "out" / "round.json").read_text())
    assert found["settings"] == {"changed": {"tip.after_s": 0.6}, "disabled": ["slip"]}
    assert "slip" not in found["samples"]["left_out"]
    assert found["logs"][0]["weight_pct"] == 100.0
    assert found["inferred"] == []
    assert 0.0 < found["delay"]["total_se_s"] < 0.06


def test_a_log_of_another_revision_is_translated(case: Path, heron_vehicle: Vehicle) -> None:
    """The sheet's table is raised by 10 %.

    The log, driven on the old one, asks for the same airflow in the end.
    """
    assert correct(case) == 0
    before = read_table(case / "out" / "ve.csv", "ve").values
    (case / "old.csv").write_text((case / "ve.csv").read_text())
    write_table(heron_vehicle.table.with_values(heron_vehicle.table.values * 1.1), case / "ve.csv")
    assert correct(case, "--driven-on", f"{case / 'drive.csv'}={case / 'old.csv'}") == 0
    after = read_table(case / "out" / "ve.csv", "ve").values
    cells = json.loads((case / "out" / "round.json").read_text())["cells"]
    # Where a cell is not known to a percent, of two tables the one that has to be leaned is leaned less.
    settled = [c["status"] == "corrected" and c["own_error_pct"] < 1.0 for c in cells]
    gap = (after / before - 1.0).ravel()[settled]
    assert abs(gap).max() < 0.02
    assert json.loads((case / "out" / "round.json").read_text())["logs"][0]["translated"]


@pytest.mark.parametrize(
    ("words", "reply"),
    [
        (["--regime-gain", "cruise=0.5"], "allowed are idle, part, full, boost"),
        (["--regime-gain", "idle=2"], "gain_idle is 2; allowed is 0 to 1"),
        (["--sieve", "tip.after_s"], "write NAME=NUMBER"),
        (["--sieve", "tip.after_s=99"], "allowed is 0 to 10 s"),
        (["--sieve", "tip.colour=1"], "the sieve has no setting"),
        (["--sieve-off", "tips"], "is not a rule"),
        (["--driven-on", "other.csv=ve.csv"], "one of the logs given"),
    ],
)
def test_wrong_settings_are_named(
    case: Path, capsys: pytest.CaptureFixture[str], words: list[str], reply: str
) -> None:
    assert correct(case, *words) == 2
    err = capsys.readouterr().err.strip()
    assert reply in err
    assert "\n" not in err


def test_the_car_can_be_driven_with_a_fault_by_name(
    case: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = ["simulate", "--vehicle", str(case / "vehicle.json"), "--minutes", "0.6", "--out"]
    assert main([*words, str(case / "weak.csv"), "--fault", "after-flash"]) == 0
    assert main([*words, str(case / "sound.csv")]) == 0
    weak, sound = (
        open_log(case / name, 14.1).log[Role.LAMBDA] for name in ("weak.csv", "sound.csv")
    )
    assert weak[50:200].mean() < 0.95 * sound[50:200].mean()
    assert main([*words, str(case / "x.csv"), "--fault", "rust"]) == 2
    error = capsys.readouterr().err
    assert "'rust'" in error and "pump" in error and error.count("\n") == 1
    assert not (case / "x.csv").exists()


def test_a_slip_in_a_command_is_named_and_help_tells_of_the_window() -> None:
    for words in (["corect"], ["corect", "--vehicle", "x.json"]):
        run = subprocess.run(
            [sys.executable, "-m", "lean_trim", *words], capture_output=True, text=True, check=False
        )
        assert run.returncode == 2
        assert "did you mean 'correct'" in run.stderr and "simulate" in run.stderr
    shown = subprocess.run(
        [sys.executable, "-m", "lean_trim", "--help"], capture_output=True, text=True, check=True
    )
    assert "--demo" in shown.stdout and "JOBFILE" in shown.stdout and "--log-level" in shown.stdout


def test_a_full_disk_is_no_bad_input(
    case: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr("lean_trim.formats.round_json.write_round", full)
    assert correct(case) == 1
    assert "No space left" in capsys.readouterr().err


def test_quiet_prints_no_warnings(case: Path, capsys: pytest.CaptureFixture[str]) -> None:
    sheet = json.loads((case / "vehicle.json").read_text())
    (case / "vehicle.json").write_text(json.dumps(sheet | {"colour": "red"}))
    assert correct(case) == 0
    assert "colour" in capsys.readouterr().err
    assert correct(case, "--quiet") == 0
    assert capsys.readouterr().err == ""


def dressed(case: Path, vehicle: Vehicle, log: Log, dress: Dress) -> None:
    brief = Log(log.time_s[::3], {r: v[::3] for r, v in log.channels.items()}, log.name)
    write(brief, dress, case / "drive.csv")


def test_a_doubt_stops_the_command_and_the_option_it_names_settles_it(
    case: Path, heron_vehicle: Vehicle, short_log: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    gauge = Dress(scales={Role.MAP: "gauge kPa"}, without=frozenset((Role.BARO,)))
    dressed(case, heron_vehicle, short_log, gauge)
    assert correct(case) == 2
    said = capsys.readouterr().err
    assert said.count("\n") == 1
    assert "drive.csv" in said and "gauge pressure and no barometer" in said
    assert "--barometer KPA" in said and "--accept-doubts" in said
    assert not (case / "out").exists()
    assert correct(case, "--barometer", "98") == 0
    assert correct(case, "--accept-doubts") == 0


def test_columns_are_named_on_the_command_line(
    case: Path, heron_vehicle: Vehicle, short_log: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    # Of air that hardly moves with load nobody knows whether it is the engine's.
    outside = 25.0 + 0.5 * np.sin(short_log.time_s / 40.0)
    dressed(case, heron_vehicle, with_channel(short_log, Role.IAT, outside), Dress())
    text = (case / "drive.csv").read_text().replace("Intake Air Temp", "Kanal 7", 1)
    (case / "drive.csv").write_text(text)
    # Degrees under a name that says nothing: of the air, or of something else.
    assert correct(case) == 2
    assert "Intake air was not found, but 'Kanal 7' may be it" in capsys.readouterr().err
    assert correct(case, "--column", "unused=Kanal 7") == 0
    # Without its column the air is taken at one temperature, and that is said.
    assert "25 °C is taken throughout" in capsys.readouterr().err
    assert correct(case, "--column", "intake_air=Kanal 7:°C") == 0
    assert "25 °C is taken" not in capsys.readouterr().err
    assert correct(case, "--column", "lambda=Kanal 8") == 2
    assert "has no column 'Kanal 8'" in capsys.readouterr().err
    assert correct(case, "--column", "mixture=Kanal 7") == 2
    assert "'mixture' is no role; allowed are time, rpm" in capsys.readouterr().err
    assert correct(case, "--column", "lambda=Kanal 7:parsec") == 2
    assert correct(case, "--barometer", "14.2") == 2
    assert "allowed are 40 to 115 kPa" in capsys.readouterr().err


def test_columns_tells_what_is_what_how_sure_and_why(
    case: Path, heron_vehicle: Vehicle, short_log: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    dress = Dress(scales={Role.LAMBDA: "AFR 14.7", Role.TARGET: "AFR"}, decoys=True)
    dressed(case, heron_vehicle, short_log, dress)
    words = ["columns", "--log", str(case / "drive.csv"), "--vehicle", str(case / "vehicle.json")]
    assert main([*words, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    roles = {r["role"]: r for r in told["roles"]}
    assert roles["lambda_measured"]["unit"] == "AFR 14.7"
    assert roles["lambda_measured"]["sure"] == "sure"
    assert roles["lambda_target"]["unit"] == "AFR"
    assert any(p["verdict"] == "agrees" for p in roles["pulse_width_ms"]["proofs"])
    assert "Engine Speed Limit" in told["unused"]
    assert told["doubts"] == []
    assert main(words) == 0
    assert "sure   rpm" in capsys.readouterr().out


def test_a_certain_swap_ends_with_2_until_it_is_insisted_on(
    case: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from lean_trim.core.diagnosis import causes
    from lean_trim.core.diagnosis.finding import Finding
    from lean_trim.core.messages import Message

    said = Message("test.swap", "Other injectors.")()
    sure = Finding("injector_flow", "warning", 0.0, 60.0, said, probability=0.995)
    monkeypatch.setattr(causes, "certain_swap", lambda findings: sure)
    assert correct(case) == 2
    assert "put the injector data right first" in capsys.readouterr().err
    assert not (case / "out" / "ve.csv").exists()
    assert correct(case, "--despite-swap") == 0
    out = capsys.readouterr().out
    assert "cells change: at the most +" in out and "of the lambda gauge" in out


def test_a_gauge_far_from_the_loop_beside_it_ends_with_2_until_somebody_says_which_is_off(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    write_vehicle(small_vehicle(feedback="narrowband"), tmp_path)
    write_log_csv(beside(1.07), tmp_path / "drive.csv")
    as_read = "--accept-doubts"
    assert correct(tmp_path, as_read) == 2
    told = capsys.readouterr().err
    assert "1.070 on average while the narrowband loop holds 1" in told and "--gauge off" in told
    assert not (tmp_path / "out").exists()
    tables = {}
    for word in ("off", "right"):
        assert correct(tmp_path, as_read, "--gauge", word) == 0
        tables[word] = read_table(tmp_path / "out" / "ve.csv", "ve").values
    # The drive is right on its table; a gauge that is right would make all of it 7 % richer.
    assert np.median(tables["off"]) == pytest.approx(80.0, rel=0.01)
    assert np.median(tables["right"]) == pytest.approx(80.0 * 1.07, rel=0.015)

"""``lean-trim record`` and ``standin`` as they are typed."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from lean_trim.cli.main import BAD_INPUT, CANNOT, DONE, main
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.recording import command
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.reading import read_recording
from lean_trim.formats.vehicle_sheet import write_vehicle
from tests.live.rig import wait_for


@pytest.fixture
def sheet(tmp_path: Path, heron_vehicle: Vehicle) -> Path:
    return write_vehicle(heron_vehicle, tmp_path / "car")


@pytest.mark.parametrize("ending", ["mf4", "csv"])
def test_a_recording_is_written_and_its_channels_told(
    tmp_path: Path, sheet: Path, ending: str, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / f"log.{ending}"
    words = ["record", "--source", "sim:?seed=2&pace=80", "--vehicle", str(sheet)]
    assert main([*words, "--out", str(out), "--seconds", "2"]) == DONE
    told = capsys.readouterr()
    assert "19 channels" in told.out and "tables, pulls and transients" in told.out
    assert "running" in told.err
    assert len(open_log(out, 14.7).log) > 1000
    # What it was recorded in is gone once the log is written.
    assert not list(tmp_path.glob("*.ltrec*"))


def test_a_dry_run_tells_and_writes_nothing(
    tmp_path: Path, sheet: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = ["record", "--source", "sim:?pace=40", "--vehicle", str(sheet), "--dry-run"]
    assert main([*words, "--seconds", "2"]) == DONE
    told = capsys.readouterr().out
    assert "25.0 Hz  Engine speed [rpm]" in told and "sure   rpm" in told
    assert {p.name for p in tmp_path.iterdir()} == {"car"}


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--source", "sim:"], "give --source and --vehicle"),
        (["--source", "sim:", "--vehicle", "SHEET"], "give --out"),
        (["--source", "sim:", "--vehicle", "SHEET", "--out", "log.xls"], ".mf4, .csv"),
        (["--source", "simm:", "--vehicle", "SHEET", "--out", "log.csv"], "begins with one of"),
        (
            ["--source", "sim:", "--vehicle", "SHEET", "--out", "log.csv", "--seconds", "0"],
            "0.5 to",
        ),
        (["--recover", "SHEET", "--out", "log.csv"], "no recording of ours"),
    ],
)
def test_wrong_words_are_refused_in_one_line(
    tmp_path: Path, sheet: Path, words: list[str], said: str, capsys: pytest.CaptureFixture[str]
) -> None:
    there = {"SHEET": str(sheet), "log.csv": str(tmp_path / "log.csv")}
    assert main(["record", *(there.get(w, w) for w in words)]) == BAD_INPUT
    told = capsys.readouterr().err
    assert said in told and told.count("\n") == 1


def test_a_source_that_never_speaks_ends_in_words(
    tmp_path: Path, sheet: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(command, "CONNECT_S", 1.0)
    words = ["record", "--source", "lines:/dev/nowhere", "--vehicle", str(sheet), "--out"]
    assert main([*words, str(tmp_path / "log.csv"), "--seconds", "1"]) == CANNOT
    told = capsys.readouterr().err
    assert "cannot be opened" in told and "nothing was received" in told
    assert {p.name for p in tmp_path.iterdir()} == {"car"}


def has_rows(path: Path) -> bool:
    """Whether a recording that is just being written holds a reading."""
    try:
        return bool(read_recording(path).rows)
    except (OSError, ValueError):
        return False


def test_ctrl_c_ends_in_order_and_what_was_cut_off_is_recovered(
    tmp_path: Path, sheet: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "log.csv"
    kept = tmp_path / "log.csv.ltrec"
    words = [sys.executable, "-m", "lean_trim", "record", "--source", "sim:?pace=20"]
    words += ["--vehicle", str(sheet), "--out", str(out)]
    process = subprocess.Popen(words, stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    wait_for(lambda: has_rows(kept))
    time.sleep(0.6)
    shutil.copy(kept, tmp_path / "cut.ltrec")
    process.send_signal(signal.SIGINT)
    said, _ = process.communicate(timeout=60)
    assert process.returncode == DONE and "channels" in said
    assert out.exists() and not kept.exists()
    # The copy is what a kill would have left.
    again = tmp_path / "again.mf4"
    assert main(["record", "--recover", str(tmp_path / "cut.ltrec"), "--out", str(again)]) == DONE
    assert len(open_log(again, 14.7).log) > 50 and (tmp_path / "cut.ltrec").exists()
    # A recording that is still there is not written over.
    shutil.copy(tmp_path / "cut.ltrec", kept)
    assert (
        main(["record", "--source", "sim:", "--vehicle", str(sheet), "--out", str(out)])
        == BAD_INPUT
    )
    assert "--recover" in capsys.readouterr().err


@pytest.mark.parametrize("kind", ["obd", "can", "lines"])
def test_a_stand_in_is_recorded_from_another_process(
    tmp_path: Path, sheet: Path, kind: str, capsys: pytest.CaptureFixture[str]
) -> None:
    link = tmp_path / "car.tty"
    words = [sys.executable, "-m", "lean_trim", "standin", "--vehicle", str(sheet)]
    words += ["--socket", kind, "--link", str(link), "--minutes", "1"]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        address = process.stdout.readline().split("'")[1]
        words = ["record", "--source", address, "--vehicle", str(sheet), "--out"]
        assert main([*words, str(tmp_path / "log.csv"), "--seconds", "4"]) == DONE
    finally:
        process.kill()
        process.communicate()
    told = capsys.readouterr().out
    assert ("lambda_measured" in told) and (kind == "lines" or "rpm" in told)

"""What escapes is written and told; a report holds what helps and nothing private."""

from __future__ import annotations

import getpass
import json
import logging
import subprocess
import sys
import threading
import zipfile
from pathlib import Path

import pytest

from lean_trim.core.errors import BadInputError
from lean_trim.diagnostics import logbook
from lean_trim.diagnostics.support import without_names, write_report

CRASH = """
import faulthandler, sys
from pathlib import Path
from lean_trim.diagnostics.logbook import start_logbook
start_logbook(Path(sys.argv[1]))
faulthandler._sigsegv()
"""


@pytest.fixture
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    for name in ("excepthook", "unraisablehook"):
        monkeypatch.setattr(sys, name, getattr(sys, name))
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    logbook.start_logbook(tmp_path)
    yield tmp_path
    for handler in list(logbook.LOGGER.handlers):
        logbook.LOGGER.removeHandler(handler)
        handler.close()


def test_what_a_thread_does_not_catch_is_written_and_told(state: Path) -> None:
    told: list[str] = []
    logbook.on_escape(told.append)
    thread = threading.Thread(target=lambda: 1 / 0, name="counting")
    thread.start()
    thread.join()
    logbook.forget_escape(told.append)
    text = (state / logbook.LOG_NAME).read_text()
    assert "ZeroDivisionError" in text and "Traceback" in text
    assert told == ["ZeroDivisionError: division by zero"]


def test_the_log_is_cut_before_it_grows_large(state: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for handler in logbook.LOGGER.handlers:
        monkeypatch.setattr(handler, "maxBytes", 2000)
    for number in range(400):
        logbook.LOGGER.info("line %s of many", number)
    files = sorted(p.name for p in state.glob(f"{logbook.LOG_NAME}*"))
    assert len(files) == logbook.KEPT_FILES + 1
    assert sum(p.stat().st_size for p in state.glob(f"{logbook.LOG_NAME}*")) < 10_000


def test_a_folder_that_cannot_be_written_stops_nothing(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert logbook.start_logbook(tmp_path / "file" / "below") is None


def test_the_level_decides_what_is_written(state: Path) -> None:
    logbook.start_logbook(state, "warning")
    logging.getLogger("lean_trim.x").info("not this")
    logging.getLogger("lean_trim.x").warning("but this")
    text = (state / logbook.LOG_NAME).read_text()
    assert "but this" in text and "not this" not in text


def test_a_crash_of_compiled_code_leaves_a_trace(tmp_path: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-c", CRASH, str(tmp_path)], capture_output=True, check=False
    )
    assert run.returncode != 0
    assert "Segmentation fault" in (tmp_path / logbook.CRASH_NAME).read_text()


def test_a_report_holds_log_versions_and_settings_but_no_drive(state: Path, job_path: Path) -> None:
    logbook.LOGGER.info("opened %s", Path.home() / "car.leantrim")
    names = write_report(state / "report.zip", state, {"theme": "night"}, None)
    assert names == ["versions.json", "settings.json", "crash.log", "lean-trim.log"]
    with zipfile.ZipFile(state / "report.zip") as report:
        assert json.loads(report.read("versions.json"))["numpy"][0].isdigit()
        assert json.loads(report.read("settings.json")) == {"theme": "night"}
        text = report.read("lean-trim.log").decode()
    assert "~/car.leantrim" in text and str(Path.home()) not in text
    assert "job.leantrim" in write_report(state / "with.zip", state, {}, job_path)


def test_a_report_that_cannot_be_written_says_so(state: Path) -> None:
    with pytest.raises(BadInputError, match="the report cannot be written"):
        write_report(state / "no" / "report.zip", state, {})


def test_names_are_taken_out() -> None:
    assert without_names(f"/home/{getpass.getuser()}/x") in (
        "/home/USER/x",
        "~/x",
        f"/home/{getpass.getuser()}/x".replace(str(Path.home()), "~"),
    )
    assert str(Path.home()) not in without_names(f"{Path.home()}/jobs/a")

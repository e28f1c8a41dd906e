"""What escapes is written and told; a report holds what helps and nothing private."""

from __future__ import annotations

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
from lean_trim.diagnostics.support import prepare_report, write_report
from lean_trim.diagnostics.tokens import Tokens

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
    report = prepare_report(state, {"theme": "night"})
    assert report.names == ("versions.json", "settings.json", "crash.log", "lean-trim.log")
    write_report(state / "report.zip", report)
    with zipfile.ZipFile(state / "report.zip") as written:
        assert json.loads(written.read("versions.json"))["numpy"][0].isdigit()
        assert json.loads(written.read("settings.json")) == {"theme": "night"}
        text = written.read("lean-trim.log").decode()
        assert {n: written.read(n).decode() for n in report.names} == report.texts
    assert "<folder 1>/<file 1>.leantrim" in text and str(Path.home()) not in text
    write_report(state / "with.zip", prepare_report(state, {}, job=job_path))
    assert "job.leantrim" in zipfile.ZipFile(state / "with.zip").namelist()


def test_a_report_that_cannot_be_written_says_so(state: Path) -> None:
    with pytest.raises(BadInputError, match="the report cannot be written"):
        write_report(state / "no" / "report.zip", prepare_report(state, {}))


PRIVATE = ("anna", "Bella", "blue coupe", "track day", "hill")
LINES = """\
opened /home/anna/cars/Bella.leantrim: 3 rounds
Opening Bella.leantrim: done after 0.05 s
log 'track day 3.csv' of blue coupe: 7200 rows
cannot read "/media/anna/stick/hill.mf4" (errno 5)
recent=/home/anna/cars/Bella.leantrim;/home/anna/hill.leantrim
"""


def test_folders_and_names_become_tokens_the_same_one_everywhere() -> None:
    tokens = Tokens(["/home/anna/cars/Bella.leantrim", "Bella", "blue coupe", "track day 3.csv"])
    out = tokens.without_names(LINES)
    assert not any(word in out for word in PRIVATE), out
    assert "3 rounds" in out and "7200 rows" in out and "errno 5" in out
    first, _, _, _, last = out.splitlines()
    assert first == "opened <name 1>: 3 rounds" and last.startswith("recent=<name 1>;<folder ")


def test_where_the_program_went_wrong_stays_to_be_read() -> None:
    trace = f'File "{Path(logbook.__file__)}", line 12, in write_whole'
    assert "<program>/diagnostics/logbook.py" in Tokens().without_names(trace)

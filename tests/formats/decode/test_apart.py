"""Readers that run apart end in a sentence whatever becomes of them."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from campaigns.dressing.examples import FOLDER
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.formats.decode.apart import loaded, parent
from lean_trim.formats.decode.columns import ReadOptions
from lean_trim.formats.logs import read_raw

MDF = FOLDER / "heron.mf4"


@pytest.fixture(autouse=True)
def _fresh() -> Iterator[None]:
    """No child is kept from one test to the next, or from another file's."""
    loaded.forget_all()
    yield
    loaded.forget_all()


def test_a_reader_that_takes_too_long_is_ended(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(parent, "READ_S", 0.5)
    monkeypatch.setattr(parent, "READ_S_PER_BYTE", 0.0)
    endless = tmp_path / "endless.dbc"
    os.mkfifo(endless)
    trace = tmp_path / "drive.log"
    trace.write_text("(0.000000) can0 100#00\n")
    began = time.monotonic()
    with pytest.raises(LogError, match="no end after"):
        read_raw(trace, options=ReadOptions(dbc=endless))
    assert time.monotonic() - began < 20.0
    assert _readers_of_files() == 0


def test_the_code_is_loaded_once_and_each_file_has_a_process_of_its_own() -> None:
    first = read_raw(MDF)
    server = loaded._kept["MDF"].child.pid
    second = read_raw(MDF)
    assert loaded._kept["MDF"].child.pid == server
    assert _readers_of_files() == 0
    for i, values in first.values.items():
        np.testing.assert_array_equal(values, second.values[i])


def test_a_child_that_went_meanwhile_is_started_again() -> None:
    read_raw(MDF)
    loaded._kept["MDF"].child.kill()
    assert read_raw(MDF).columns


def test_a_child_that_goes_before_it_answers_leaves_no_pipe_open(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    read_raw(MDF)
    reader = loaded._kept["MDF"]

    def gone() -> dict[str, Any]:
        raise loaded.GoneError

    monkeypatch.setattr(reader, "_heard", gone)
    before = len(os.listdir("/proc/self/fd"))
    with pytest.raises(loaded.GoneError):
        reader.begin(str(MDF), {}, 1.0, lambda: None)
    assert len(os.listdir("/proc/self/fd")) == before


def test_it_goes_when_its_parent_is_killed() -> None:
    code = (
        "from pathlib import Path; from lean_trim.formats.logs import read_raw;"
        "from lean_trim.formats.decode.apart import loaded;"
        f"read_raw(Path({str(MDF)!r})); print(loaded._kept['MDF'].child.pid, flush=True);"
        "import os, signal; os.kill(os.getpid(), signal.SIGKILL)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == -signal.SIGKILL
    left = Path(f"/proc/{int(done.stdout)}/cmdline")
    until = time.monotonic() + 10.0
    while left.exists() and b"apart.child" in left.read_bytes():
        assert time.monotonic() < until
        time.sleep(0.05)


def _readers_of_files() -> int:
    """Processes that read a file: children of those that have the code loaded."""
    servers = {str(reader.child.pid) for reader in loaded._kept.values()}
    listed = subprocess.run(["ps", "-eo", "ppid="], capture_output=True, text=True, check=True)
    return sum(line.strip() in servers for line in listed.stdout.splitlines())


@pytest.mark.parametrize("code", ["import os; os.abort()", "raise SystemExit(0)", "print(1.5)"])
def test_a_reader_that_dies_or_talks_nonsense_is_a_damaged_file(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, code: str
) -> None:
    fake = tmp_path / "python"
    fake.write_text(f'#!/bin/sh\nexec {sys.executable} -c "{code}"\n')
    fake.chmod(0o755)
    monkeypatch.setattr(loaded.sys, "executable", str(fake))
    with pytest.raises(LogError, match="cannot be read as MDF"):
        read_raw(MDF)


def test_a_reader_that_asks_for_too_much_memory_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    """The limits stand in the child's code, which is another process's: it is started with less of them."""
    code = (
        "import sys; from lean_trim.formats.decode.apart import child;"
        "child.MEMORY_BYTES = 0; child.MEMORY_PER_BYTE = 0; child.main()"
    )
    whole = subprocess.Popen

    def started(args: list[str], **how: Any) -> Any:
        return whole([sys.executable, "-c", code, *args[3:]], **how)

    monkeypatch.setattr(loaded.subprocess, "Popen", started)
    with pytest.raises(LogError, match="emory"):
        read_raw(MDF)


def test_cancelling_ends_the_reader() -> None:
    with pytest.raises(CancelledError):
        read_raw(MDF, progress=lambda share: False)
    assert _readers_of_files() == 0

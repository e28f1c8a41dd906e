"""Readers that run apart end in a sentence whatever becomes of them."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from pathlib import Path

import pytest

from campaigns.dressing.examples import FOLDER
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.formats.decode.apart import parent
from lean_trim.formats.logs import read_raw

MDF = FOLDER / "heron.mf4"


def test_a_reader_that_takes_too_long_is_ended(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(parent, "READ_S", 0.3)
    monkeypatch.setattr(parent, "READ_S_PER_BYTE", 0.0)
    ready = "import json; print(json.dumps(dict(ready=True)), flush=True)"
    monkeypatch.setattr(
        parent.sys, "executable", str(instead(tmp_path, f"{ready}; import time; time.sleep(60)"))
    )
    began = time.monotonic()
    with pytest.raises(LogError, match="no end after"):
        read_raw(MDF)
    assert time.monotonic() - began < 20.0
    assert _children() == []


def instead(folder: Path, code: str) -> Path:
    """What stands for Python and runs something else than the reader."""
    fake = folder / "python"
    fake.write_text(
        f"#!/bin/sh\nexec {sys.executable} -c '{code}' {MDF} lean_trim.formats.decode.apart.child\n"
    )
    fake.chmod(0o755)
    return fake


def _children() -> list[str]:
    listed = subprocess.run(
        ["ps", "-eo", "args"], capture_output=True, text=True, check=True
    ).stdout
    return [
        line for line in listed.splitlines() if "decode.apart.child" in line and str(MDF) in line
    ]


@pytest.mark.parametrize("code", ["import os; os.abort()", "raise SystemExit(0)", "print(1.5)"])
def test_a_reader_that_dies_or_talks_nonsense_is_a_damaged_file(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, code: str
) -> None:
    fake = tmp_path / "python"
    fake.write_text(f'#!/bin/sh\nexec {sys.executable} -c "{code}"\n')
    fake.chmod(0o755)
    monkeypatch.setattr(parent.sys, "executable", str(fake))
    with pytest.raises(LogError, match="cannot be read as MDF"):
        read_raw(MDF)


def test_a_reader_that_asks_for_too_much_memory_says_so() -> None:
    code = (
        "import sys; from lean_trim.formats.decode.apart import child;"
        "child.MEMORY_BYTES = 0; child.MEMORY_PER_BYTE = 0;"
        f"sys.argv = ['child', 'MDF', {str(MDF)!r}, '{{}}']; child.main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code],
        input=b"[0, 1, 2]\n",
        capture_output=True,
        timeout=60,
        check=False,
    )
    last = [json.loads(line) for line in done.stdout.splitlines() if line.startswith(b"{")][-1]
    assert "memory" in last["failed"] or "Memory" in last["failed"]


def test_cancelling_ends_the_reader() -> None:
    with pytest.raises(CancelledError):
        read_raw(MDF, progress=lambda share: False)
    assert _children() == []

"""The demo job: Heron on the simulated car."""

from __future__ import annotations

from pathlib import Path

from lean_trim.job.store import SUFFIX, JobStore
from lean_trim.simcar.heron import heron

DEMO_NAME = f"heron-demo{SUFFIX}"


def demo_path(folder: Path, fresh: bool = False) -> Path:
    """Path of the demo job in a folder, made the first time or when it is to be fresh."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / DEMO_NAME
    if fresh and path.exists():
        path.unlink()
    if not path.exists():
        JobStore.create(path, heron(), car="heron").close()
    return path

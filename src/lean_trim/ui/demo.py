"""The demo job: Heron on the simulated car."""

from __future__ import annotations

from pathlib import Path

from ..job.store import SUFFIX, JobStore
from ..simcar.heron import heron

DEMO_NAME = f"heron-demo{SUFFIX}"


def demo_store(folder: Path, fresh: bool = False) -> JobStore:
    """Open the demo job in a folder, making it the first time or when it is to be fresh."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / DEMO_NAME
    if fresh and path.exists():
        path.unlink()
    return JobStore.open(path) if path.exists() else JobStore.create(path, heron(), car="heron")

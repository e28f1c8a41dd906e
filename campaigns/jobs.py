"""Small jobs for trials."""

from __future__ import annotations

from pathlib import Path

from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron


def driven_job(path: Path, minutes: float = 2.0) -> Path:
    """Heron with one short drive in its first round; made once."""
    if not path.exists():
        vehicle = heron()
        store = JobStore.create(path, vehicle, car="heron")
        log = simulate(vehicle, seed=1, minutes=minutes, name="simulated drive 1")
        store.add_logs(store.load().rounds[0].id, [store_log(log)])
        store.close()
    return path

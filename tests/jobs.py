"""Job files made without a window."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore


def job_bytes(path: Path, vehicle: Vehicle, log: Log, car: str = "") -> bytes:
    """Bytes of a job whose first round holds one log.

    Parameters
    ----------
    path : where it is made; nothing must be there yet.
    vehicle : of the job.
    log : of its first round.
    car : the simulated car that drives it, "" for none.
    """
    store = JobStore.create(path, vehicle, car=car)
    store.add_logs(store.load().rounds[0].id, [store_log(log)])
    store.close()
    return path.read_bytes()

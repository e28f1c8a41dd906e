"""A job file opened and read."""

from __future__ import annotations

from pathlib import Path

from lean_trim.job.records import Job
from lean_trim.job.store import JobStore


def open_job(path: Path, take: bool = True, take_over: bool = False) -> tuple[JobStore, Job]:
    """Open and read a job; slow enough for a thread of its own.

    Parameters
    ----------
    path : a job file.
    take : ask to be the window that writes.
    take_over : become it, whoever was before.

    Returns
    -------
    The open file and what is in it.

    Raises
    ------
    BadInputError
        If the file is missing, not a job, or damaged.
    SaveFailedError
        If it is to be taken over and cannot be written to.
    """
    store = JobStore(path, take)
    try:
        if take_over and store.read_only:
            store.take_over()
        return store, store.load()
    except BaseException:
        store.close()
        raise


def load_job(path: Path) -> Job:
    """Read a whole job without holding it.

    Returns what is in it.
    """
    store, job = open_job(path, take=False)
    store.close()
    return job

"""The demo jobs: an invented car each, driven by the simulator."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.records import SWAP
from lean_trim.job.store import SUFFIX, JobStore
from lean_trim.simcar.cars import car_named

DEFAULT_CAR = "heron"
FIRST_ROUND = 1
"""Id of the round a new job file begins with."""


class Say:
    """What the demo says."""

    OPEN_ELSEWHERE = Message(
        "demo.open_elsewhere",
        "{path}: the demo is open in {holder}; close it there before starting afresh",
    )


def demo_path(
    folder: Path, fresh: bool = False, car: str = DEFAULT_CAR
) -> tuple[Path, Path | None]:
    """Path of a car's demo job in a folder, made the first time.

    ``fresh`` puts an earlier one aside under the day and time.

    Parameters
    ----------
    folder : made if it is not there.
    fresh : begin again.
    car : one of ``simcar.cars.CARS``.

    Returns
    -------
    Path of the job file, and of the one that was put aside, None if none was.

    Raises
    ------
    BadInputError
        If it is to be fresh and another window has it open, or it cannot be made, or there is no
        such car.
    """
    found = car_named(car)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{car}-demo{SUFFIX}"
    kept = _put_aside(path) if fresh and path.exists() else None
    if not path.exists():
        store = JobStore.create(path, found.sheet(), car=car)
        if found.injectors is not None:
            store.save_kind(FIRST_ROUND, SWAP)
        store.close()
    return path, kept


def _put_aside(path: Path) -> Path:
    """Rename a demo that nobody holds; one that cannot be read any more is put aside too."""
    try:
        store = JobStore(path, take=False)
    except BadInputError:
        holder = None
    else:
        holder = store.database.holder()
        store.close()
    if holder is not None and holder.alive:
        raise BadInputError(Say.OPEN_ELSEWHERE(path=path, holder=holder.described))
    moment = datetime.now().strftime("%Y-%m-%d %H%M%S")
    # Somebody may have learnt on it for an hour; nothing is deleted.
    return path.rename(path.with_name(f"{path.stem} until {moment}{SUFFIX}"))

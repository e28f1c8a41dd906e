"""Where a log goes: into a round, into the one that follows it, or in the place of another log.

The newest round takes logs until its table has been handed over; the log after that was driven on
the table that was handed over, and opens the next round. Where it cannot be known, the user is
asked.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from lean_trim.core.data.calibration import Calibration, with_calibration
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.which_table import driven_on
from lean_trim.job.records import Job, Prediction, Round


class Place(Enum):
    """Where a log goes, seen from the newest round."""

    HERE = "here"
    NEXT = "next"
    ASK = "ask"


@dataclass(frozen=True, eq=False)
class Destination:
    """Where the logs of one request go.

    Attributes
    ----------
    round_id : the round they were opened for.
    vehicle : as it was driven in that round.
    following : the calibration of the round after it, if there may be one.
    place : where they go unless their pulse width plainly says otherwise.
    replaces : the log of that round they take the place of, None if they are added.
    prediction : what the round foretold of the following one.
    """

    round_id: int
    vehicle: Vehicle
    following: Calibration | None = None
    place: Place = Place.HERE
    replaces: int | None = None
    prediction: Prediction | None = None

    def place_of(self, log: Log) -> Place:
        """Where one log goes; slow enough for a task's thread.

        Parameters
        ----------
        log : as it was read.

        Returns
        -------
        Its place; ``ASK`` if only the user can know.
        """
        if self.following is None or self.replaces is not None:
            return self.place
        next_vehicle = with_calibration(self.vehicle, self.following)
        found = driven_on(log, self.vehicle, next_vehicle)
        if found is next_vehicle:
            return Place.NEXT
        if found is None:
            return self.place
        # The pulse width says it was driven before the hand-over; two witnesses that differ are for
        # the user.
        return Place.ASK if self.place is Place.NEXT else Place.HERE


def destination(
    job: Job,
    foretold: Callable[[Round], Prediction | None],
    replaces: tuple[int, int] | None = None,
) -> Destination | None:
    """Where the next logs go.

    Parameters
    ----------
    job : as it is now.
    foretold : what a round that is handed over now would foretell of the next one.
    replaces : (round id, log id) of a log they take the place of.

    Returns
    -------
    Settled now: the user may look at another round while the logs are read. None if the log that is
    to be replaced is in no round.
    """
    if replaces is not None:
        round_id, log_id = replaces
        index = job.index_of(round_id)
        return (
            None if index is None else Destination(round_id, job.vehicle_in(index), replaces=log_id)
        )
    newest = job.rounds[-1]
    vehicle = job.vehicle_in(len(job.rounds) - 1)
    if not newest.logs or (not newest.changed and not newest.handed_over):
        return Destination(newest.id, vehicle)
    place = Place.NEXT if newest.handed_over else Place.ASK
    following = newest.handed_calibration if newest.handed_over else newest.resulting_calibration
    # What was foretold at the hand-over spoke of just these cells; later decisions may be others.
    prediction = newest.prediction if newest.handed_over else foretold(newest)
    return Destination(newest.id, vehicle, following, place, prediction=prediction)


def drive_destination(job: Job, foretold: Callable[[Round], Prediction | None]) -> Destination:
    """Where a drive of the simulated car goes, which is driven on what is decided and not on a hand-over.

    Parameters
    ----------
    job, foretold : as for ``destination``.

    Returns
    -------
    The newest round if it has no log, else the one that follows it.
    """
    newest = job.rounds[-1]
    vehicle = job.vehicle_in(len(job.rounds) - 1)
    # The first drive of a round is driven on the table it has; later ones on what was decided.
    if not newest.logs:
        return Destination(newest.id, vehicle)
    following = newest.resulting_calibration
    return Destination(newest.id, vehicle, following, Place.NEXT, prediction=foretold(newest))


def round_following(job: Job, earlier: Round, following: Calibration) -> Round | None:
    """The newest round, if it was made from an earlier one on just that calibration.

    Another log of the same request has begun it, or the user has.

    Parameters
    ----------
    job : as it is now.
    earlier : the round the log was opened for.
    following : the calibration it was driven on.

    Returns
    -------
    The round it goes into; None if it still has to be begun.
    """
    newest = job.rounds[-1]
    if newest.revision.parent_id != earlier.revision.id:
        return None
    same = all(
        name in newest.revision.calibration
        and (newest.revision.calibration[name].values == following[name].values).all()
        for name in following
    )
    return newest if same else None

"""Changing the vehicle of an open job: saved first, with undo; its rounds keep their tables."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.vehicle_sheet import vehicle_dict
from lean_trim.workspace.history import History
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.vehicle.draft import VehicleDraft


class Say:
    """What changing a vehicle says."""

    REFUSED = Message("vehicle_changing.refused", "The vehicle is as it was: {reason}")
    TEXT = Message("vehicle_changing.text", "Change the vehicle: {what}")
    SIMULATED = Message(
        "vehicle_changing.simulated",
        "this car is simulated; a sheet cannot change what its engine is",
    )


WORDS = {
    "name": "name",
    "engine": "engine",
    "fuel": "fuel",
    "feedback": "feedback",
    "injectors": "injectors",
    "exhaust_volume_l": "exhaust volume",
    "redline_rpm": "top speed",
    "sensor_place": "λ sensor",
    "table_limits": "limits of the field",
}
"""Keys of the sheet, and what they are for people."""


@dataclass(frozen=True, eq=False)
class VehicleChange:
    """One change of a job's vehicle."""

    open: OpenJob
    navigation: Navigation
    before: Vehicle
    after: Vehicle

    @property
    def text(self) -> str:
        """For the menu."""
        return str(Say.TEXT(what=differing(self.before, self.after)))

    def apply(self) -> None:
        """Save and take the later vehicle."""
        self._settle(self.after)

    def again(self) -> VehicleChange | None:
        """The whole vehicle as it was typed."""
        job = self.open.job
        return None if job is None else replace(self, before=job.vehicle)

    def revert(self) -> None:
        """Save and take the earlier vehicle."""
        self._settle(self.before)

    def _settle(self, vehicle: Vehicle) -> None:
        self.open.commit(lambda store: store.save_vehicle(vehicle))
        self.open.take_vehicle(vehicle)
        self.navigation.show_other_logs()


def differing(before: Vehicle, after: Vehicle) -> str:
    """What of two vehicles differs, beside their tables.

    Returns names with commas between them; "" if nothing does.
    """
    old = vehicle_dict(before)
    new = vehicle_dict(after)
    return ", ".join(WORDS.get(key, key) for key in new if old.get(key) != new[key])


class VehicleChanges:
    """Changes what the open job's vehicle is."""

    def __init__(
        self, open_job: OpenJob, saving: Saving, history: History, navigation: Navigation
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.navigation = navigation

    def change(self, draft: VehicleDraft, number: int) -> bool:
        """Make the job's vehicle what a draft says, with undo; told if that cannot be.

        Parameters
        ----------
        draft : of its vehicle, as it is to be.
        number : of the opened job it was typed for; in another one it changes nothing.

        Returns
        -------
        Whether the job's vehicle is that now.
        """
        job = self.open.job
        if job is None or number != self.open.number:
            return False
        try:
            wanted = draft.vehicle()
            if job.car:
                raise BadInputError(Say.SIMULATED())
        except BadInputError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        # Tables belong to rounds; what is changed here is the rest.
        own = job.vehicle
        wanted = replace(
            wanted, table=own.table, target=own.target, other=own.other, layered=own.layered
        )
        if not differing(job.vehicle, wanted):
            return True
        made = VehicleChange(self.open, self.navigation, job.vehicle, wanted)
        return self.saving.attempt(lambda: self.history.push(made), made)

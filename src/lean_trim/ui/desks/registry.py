"""The desks in the order of the work: a new one is a package of its own and a line here."""

from __future__ import annotations

from lean_trim.ui.desks.desk import DeskSpec
from lean_trim.ui.desks.injectors.desk import INJECTORS_DESK
from lean_trim.ui.desks.pulls.desk import PULLS_DESK
from lean_trim.ui.desks.table.desk import TABLE_DESK
from lean_trim.ui.desks.transients.desk import TRANSIENTS_DESK
from lean_trim.ui.desks.vehicle.desk import VEHICLE_DESK

DESKS: tuple[DeskSpec, ...] = (
    VEHICLE_DESK,
    TABLE_DESK,
    PULLS_DESK,
    TRANSIENTS_DESK,
    INJECTORS_DESK,
)

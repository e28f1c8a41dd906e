"""The Vehicle desk, declared."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.vehicle.desk.desk import VehicleDesk

    return VehicleDesk(session, appearance, actions)


HELP = HelpPage(
    title="The Vehicle desk",
    paragraphs=(
        "What the car is: engine, fuel, sensors, injectors, the limits of the table's field, and "
        "the tables that are in the ECU. Every correction is reckoned with these figures.",
        "What a log shows is offered beside the field it belongs to. What you type is kept when "
        "you stop typing; undo takes it back. Where a figure changes what was worked out, the "
        "round is worked out again.",
        "Tables are pasted from a sheet or read from a file. The points of their axes are those "
        "of your ECU: a table on other points is another table.",
        "Before you write anything to the ECU, keep a copy of what is in it.",
    ),
)
VEHICLE = Feature(
    name="vehicle",
    desk=DeskSpec(
        name="vehicle",
        title="Vehicle",
        tip="What the car is: engine, fuel, sensors, injectors, limits of the table's field, its "
        "tables",
        make=_desk,
        help=HELP,
    ),
)

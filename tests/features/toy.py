"""A feature nobody needs: how much air a canister adds. One declaration, at the end, is all that is new.

It has a desk with a page, a lookup on a lane of its own, a message, a side table, a command, a
file, a menu action, a unit and a page of help.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QVBoxLayout, QWidget

from lean_trim.cli.parser import Subcommand
from lean_trim.core.data.shown_units import UnitChoice
from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.errors import BadInputError
from lean_trim.features.feature import Feature
from lean_trim.formats.whole_files import write_whole
from lean_trim.ui.session import Session
from lean_trim.ui.specs import (
    Command,
    DeskSpec,
    FeatureCommand,
    HelpPage,
    OutputSpec,
    PageSpec,
    Place,
)
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.label import Label
from lean_trim.workspace.history import History
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.parts import Parts
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_tables import SideTables
from lean_trim.workspace.tasks import Lane, Tasks
from lean_trim.workspace.work_state import Work

CANISTER = "canister_air"
LANE = Lane("canister")
SHARE = 1.25
"""What is proposed, times what is there."""


@dataclass(frozen=True)
class CanisterFound:
    """How much the canister adds is known."""


def canister_table(values: tuple[float, ...] = (1.0, 2.0, 4.0)) -> Table:
    axis = Axis("coolant", "°C", [20.0, 60.0, 90.0])
    return Table((axis,), values, "g/s", "canister air")


class CanisterTables(SideTables):
    """The toy's own table of the ECU."""

    words: Mapping[str, str] = {CANISTER: "canister air"}
    announces = CanisterFound

    def proposed(self, name: str) -> Table | None:
        base = self.base(name)
        return None if base is None else base.with_values(base.values * SHARE)

    def accept(self, name: str, cells: frozenset[int] | None = None) -> bool:
        proposed = self.proposed(name)
        return proposed is not None and self._take(name, proposed, cells)

    def axes_of(self, name: str) -> tuple[str, ...]:
        return ("coolant",)

    def limits_of(self, table: Table) -> TableLimits:
        return TableLimits(0.01, 0.0, 50.0)


class Canister:
    """Looks for how much is added, on a lane of its own."""

    def __init__(self, open_job: OpenJob, tasks: Tasks) -> None:
        self.open = open_job
        self.grams: float | None = None
        self.lookup = Lookup(tasks, LANE, lambda: open_job.hub.publish(CanisterFound()))

    def look(self) -> None:
        self.lookup.look("all", "Looking at the canister", lambda _: 3.5, self._take)

    def _take(self, grams: float) -> None:
        self.grams = grams


class CanisterDesk(QWidget):
    """Shows what was found."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.canister = session.part(Canister)
        self.units = appearance.units
        self.label = Label("", self)
        QVBoxLayout(self).addWidget(self.label)
        session.told(CanisterFound).connect(self.refresh)
        self.canister.look()

    @property
    def widget(self) -> QWidget:
        return self

    def mark(self) -> str:
        return "" if self.canister.grams is None else "found"

    def refresh(self) -> None:
        own = self.units.of("g")
        if self.canister.grams is not None:
            self.label.setText(f"{float(own.own(self.canister.grams)):.3f} {own.unit}")


def _page(session: Session, appearance: Appearance) -> QWidget:
    return Label("what a canister is")


def _tables(parts: Parts) -> object:
    return CanisterTables(
        parts[OpenJob], parts[Saving], parts[History], parts[Navigation], parts[Work]
    )


def _prepare(parts: Parts) -> Callable[[Path], object]:
    grams = parts[Canister].grams
    if grams is None:
        raise BadInputError("the canister was not looked at yet")
    return lambda path: write_whole(path, f"{grams}\n")


def _ask(place: Place, on: bool) -> None:
    place.show_desk("canister")


def _add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--grams", type=float, required=True)


def _run(args: argparse.Namespace) -> None:
    print(f"{args.grams * SHARE:.2f} g")


TOY = Feature(
    name="canister",
    parts=(lambda parts: Canister(parts[OpenJob], parts[Tasks]), _tables),
    desk=DeskSpec(
        name="canister",
        title="Canister",
        tip="What the canister adds",
        make=CanisterDesk,
        help=HelpPage("The Canister desk", ("A canister adds fuel nobody injected.",)),
        pages=(PageSpec("about_canister", "About", "What a canister is", _page),),
    ),
    commands=(Subcommand("canister", "say what a canister adds", _add_arguments, _run),),
    actions=(
        FeatureCommand(
            Command("look_canister", "Round", "Look at the canister", "At once", also="vapour"),
            _ask,
        ),
    ),
    outputs=(OutputSpec("canister", "canister's air", "canister.txt", _prepare),),
    units=(UnitChoice("g", "Mass", (OwnUnit("g"), OwnUnit("oz", 1.0 / 28.349523))),),
)

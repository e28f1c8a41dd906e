"""Two cars of a bench typed in by hand, in a dress of our own, from the start page to a corrected table.

``.venv/bin/python -m tools.bench_cars BENCH FOLDER [--size 1280x800] [--night]``; without a screen under
``xvfb-run``. BENCH holds the cases ``d1-ve-atmo`` and ``d3-maf-narrow``. Every click, typed field, drop and
answered chooser counts, the mistakes made on purpose as well. What the log is taken for must be what the hand
said, and nothing else: an answer nobody gave stops the walk.
"""

from __future__ import annotations

import argparse
import gzip
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import polars as pl
from PySide6.QtCore import QSize
from PySide6.QtGui import QGuiApplication

from lean_trim.core.data.channels import Role
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.tables import read_table
from lean_trim.workspace.vehicle.fields import Key
from tools.first_hour import Walk
from tools.own_car import Hand, mistakes, page_of

MOST_ACTIONS = 16
Convert = Callable[[np.ndarray], np.ndarray]
Heads = Mapping[str, tuple[str, Convert]]


def as_is(values: np.ndarray) -> np.ndarray:
    """The numbers as the bench has them."""
    return values


@dataclass(frozen=True)
class Dressed:
    """A car of the bench, and how its log is written here.

    Attributes
    ----------
    case : its folder.
    name : it is given here.
    table : file of its table.
    kind : "ve" or "maf".
    heads : name in the bench's log → heading here and what is done to the numbers.
    separator, comma : of the file.
    fuel : to be chosen, "" for petrol.
    answers : channel → its column, where that is asked.
    """

    case: str
    name: str
    table: str
    kind: str
    heads: Heads
    separator: str
    comma: bool
    fuel: str = ""
    answers: Mapping[Role, str] = field(default_factory=dict)


KITE = Dressed(
    case="d1-ve-atmo",
    name="Kite",
    table="ve.csv",
    kind="ve",
    heads={
        "Time": ("Laufzeit [ms]", lambda x: 1000.0 * x),
        "Engine Speed": ("Kurbelwelle [U/min]", as_is),
        "Manifold Pressure": ("Ladedruck abs. [mbar]", lambda x: 10.0 * x),
        "Throttle": ("Drosselkl. [%]", as_is),
        "Intake Air Temp": ("Luft Saugrohr [°F]", lambda x: 1.8 * x + 32.0),
        "Coolant Temp": ("Wasser Motor [°F]", lambda x: 1.8 * x + 32.0),
        "Battery": ("Bordnetz [V]", as_is),
        "Wideband": ("Breitband λ ist", as_is),
        "Commanded": ("λ soll", as_is),
        "Short Term Trim": ("Regler kurz [%]", as_is),
        "Long Term Trim": ("Regler lang [%]", as_is),
        "Closed Loop": ("Regelung geschlossen", as_is),
        "Injector Pulse Width": ("Einspritzdauer [µs]", lambda x: 1000.0 * x),
        "Barometer": ("Luftdruck aussen [mbar]", lambda x: 10.0 * x),
    },
    separator=";",
    comma=True,
    fuel="E10",
)
REED = Dressed(
    case="d3-maf-narrow",
    name="Reed",
    table="maf.csv",
    kind="maf",
    heads={
        "Time": ("secs", as_is),
        "Engine Speed": ("crank (rpm)", as_is),
        "MAF Frequency": ("air meter out (kHz)", lambda x: x / 1000.0),
        "Intake Air Temp": ("air in (K)", lambda x: x + 273.15),
        "Coolant Temp": ("water (K)", lambda x: x + 273.15),
        "Battery": ("supply (V)", as_is),
        "Wideband": ("tail probe lambda", as_is),
        "Commanded": ("lambda wanted", as_is),
        "Short Term Trim": ("short trim (x)", lambda x: 1.0 + x / 100.0),
        "Long Term Trim": ("learnt trim (x)", lambda x: 1.0 + x / 100.0),
        "Throttle": ("plate (%)", as_is),
        "Injector Pulse Width": ("squirt (ms)", as_is),
        "Fuel Pressure (diff)": ("fuel over manifold (bar)", lambda x: x / 100.0),
    },
    separator="\t",
    comma=False,
    answers={Role.PULSE_WIDTH: "squirt"},
)


def write_dressed(car: Dressed, folder: Path, to: Path) -> Path:
    """The bench's log under other headings, in other units, with another separator."""
    text = gzip.decompress((folder / "drive.csv.gz").read_bytes())
    names, _, *rows = text.decode("utf-8").splitlines()
    table = np.array([[float(x or "nan") for x in row.split(",")] for row in rows])
    place = {name: i for i, name in enumerate(names.split(","))}
    data = {head: turn(table[:, place[name]]) for name, (head, turn) in car.heads.items()}
    pl.DataFrame(data).write_csv(
        to, separator=car.separator, decimal_comma=car.comma, float_precision=4
    )
    return to


def by_hand(walk: Walk, bench: Path, car: Dressed) -> int:
    """Type one car in, correct its table and hand it over; the number of actions, mistakes included."""
    window = walk.window
    session = walk.session
    folder = bench / car.case
    sheet = json.loads((folder / "vehicle.json").read_text(encoding="utf-8"))
    log = write_dressed(car, folder, walk.files / f"{car.name.lower()}.csv")
    cells = (folder / car.table).read_text(encoding="utf-8").replace(",", "\t")
    QGuiApplication.clipboard().setText(cells)
    hand = Hand(walk)
    walk.step(f"{car.name}-start", window.pages.currentIndex() == 0)
    mistakes(walk, hand)
    hand.drop(log)
    page = page_of(walk)
    walk.wait(lambda: page.draft.told.path is not None)
    walk.step(f"{car.name}-what-the-log-tells", not page.draft.told.lacks)
    hand.click(page.airflow.paste)
    hand.type(page.car.numbers[Key.CYLINDERS].edit, str(sheet["engine"]["cylinders"]))
    hand.type(page.car.numbers[Key.DISPLACEMENT].edit, str(sheet["engine"]["displacement_l"]))
    if car.fuel and page.draft.fuel != car.fuel:
        box = page.car.choices["fuel"].box
        box.setCurrentIndex(box.findData(car.fuel))
        box.activated.emit(box.currentIndex())
        hand.actions += 2
    walk.step(f"{car.name}-ready", page.make.isEnabled())
    job = walk.files / f"{car.name.lower()}.leantrim"
    hand.answering(job, lambda: hand.click(page.make))
    walk.wait(lambda: session.job is not None and not session.is_busy)
    said = answer(walk, hand, car)
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    walk.step(f"{car.name}-worked-out", session.deciding.waiting_in() > 0)
    kept = {
        column: word.unit
        for choices in session.open.choices.values()
        for column, word in choices.columns.items()
    }
    assert kept == said, f"answers nobody gave: {kept}, given were {said}"
    hand.click(table_desk(window).bar.accept)
    hand.give_word()
    out = walk.files / f"{car.name.lower()}-corrected.csv"
    hand.answering(out, window.actions_["hand_over"].trigger)
    hand.actions += 1
    walk.wait(out.exists)
    before = read_table(folder / car.table, car.kind)
    after = read_table(out, car.kind)
    changed = int((before.values != after.values).sum())
    walk.step(f"{car.name}-handed-over", after.same_axes(before) and changed > 5)
    count = hand.actions + hand.mistakes
    print(f"{car.name}: {count} actions, {hand.mistakes} of them in mistakes, {changed} cells")
    assert count <= MOST_ACTIONS
    session.close_job()
    walk.app.processEvents()
    return count


def answer(walk: Walk, hand: Hand, car: Dressed) -> dict[str, str]:
    """Answer what the import sheet asks, and only that; what is right as shown is added as shown."""
    imports = walk.session.imports
    sheet = walk.window.import_sheet
    said: dict[str, str] = {}
    if imports.current is None:
        return said
    walk.step(f"{car.name}-asked", sheet.isVisible())
    print(sheet.questions.text())
    for role, column in car.answers.items():
        # Opened and picked: two clicks.
        imports.answers.choose(column, role)
        hand.actions += 2
        said[column] = ""
        walk.wait()
    walk.step(f"{car.name}-answered", sheet.add.isEnabled())
    hand.click(sheet.add)
    return said


def main() -> None:
    """Walk as the arguments say."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("bench", type=Path, help="folder of the cases")
    parser.add_argument("folder", type=Path, help="where the pictures go")
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--night", action="store_true")
    args = parser.parse_args()
    width, height = (int(n) for n in args.size.split("x"))
    walk = Walk(args.folder, QSize(width, height), args.night)
    for car in (KITE, REED):
        by_hand(walk, args.bench, car)
    walk.window.close()


if __name__ == "__main__":
    main()

"""The logs of ``examples``: eight dresses of the demo cars, and their tables as they are pasted."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from pathlib import Path

from campaigns.dressing.cars import CARS
from campaigns.dressing.dress import Dress
from campaigns.dressing.naming import PREAMBLE
from campaigns.dressing.writing import write
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Holds, airflow_grid
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.tables import table_text
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.self_learning import LearningEcu, learn_along

FOLDER = Path(__file__).parents[2] / "examples"
MINUTES = 5.0
LOG_HZ = 10.0
TRACE_S = 90.0
"""Length of the CAN trace: every signal is a frame, and frames are many."""

_LIKE_A_GAUGE = {
    Role.MAP: "psi",
    Role.BARO: "psi",
    Role.IAT: "F",
    Role.COOLANT: "F",
    Role.LAMBDA: "AFR 14.7",
    Role.TARGET: "AFR 14.7",
    Role.SPEED: "mph",
}
_D = Dress()
EXAMPLES: dict[str, Dress] = {
    "heron-evening.csv": replace(_D, name="plain"),
    "heron-abend.csv": replace(
        _D,
        name="German, semicolons, decimal commas, a preamble",
        words="de",
        delimiter=";",
        decimal=",",
        header="row",
        encoding="cp1252",
        preamble=PREAMBLE,
        scales={Role.LAMBDA: "AFR", Role.TARGET: "AFR"},
    ),
    "heron-gauges.csv.gz": replace(
        _D, name="psi, °F, AFR of petrol, packed", words="short", scales=_LIKE_A_GAUGE, pack="gzip"
    ),
    "heron-long.zip": replace(_D, name="a reading a row", words="fr", shape="long", pack="zip"),
    "heron.mf4": replace(
        _D, name="MDF 4, slow channels apart", words="camel", kind="mdf4", shape="slow"
    ),
    "heron.xlsx": replace(_D, name="a workbook", kind="xlsx"),
    "tern-van.csv": replace(_D, name="airflow sensor, clock time", car="tern", time="clock"),
    "tern-trace.blf": replace(
        _D,
        name="a CAN trace with its DBC",
        car="tern",
        words="camel",
        kind="blf",
        marks={"last_s": TRACE_S},
    ),
}
SEEDS = {"heron": 21, "tern": 22}


@cache
def example_drive(car: str) -> tuple[Vehicle, Log]:
    """The drive of a demo car that the examples hold."""
    vehicle = CARS[car]()
    log = simulate(vehicle, seed=SEEDS[car], minutes=MINUTES, name=car, log_hz=LOG_HZ)
    drop = (Role.MAP,) if vehicle.airflow == "maf" else ()
    return vehicle, Log(
        log.time_s, {r: v for r, v in log.channels.items() if r not in drop}, log.name
    )


def write_examples(folder: Path = FOLDER) -> None:
    """Write all of them."""
    from campaigns.dresses import ending

    folder.mkdir(parents=True, exist_ok=True)
    for name, dress in EXAMPLES.items():
        _, log = example_drive(dress.car)
        write(ending(log, float(dress.marks.get("last_s", log.duration_s))), dress, folder / name)
    for car, name in (("heron", "heron-table.txt"), ("tern", "tern-curve.txt")):
        (folder / name).write_text(table_text(CARS[car]().table, "\t"), encoding="utf-8")
    (folder / LEARNED).write_text(learned_text(), encoding="utf-8")


LEARNED = "heron-learned.txt"
"""Trims Heron's ECU learned by itself, spread over the cells around, as an editor would copy them."""


def learned_text() -> str:
    """What a self-learning ECU in Heron has learned after 40 minutes."""
    ecu = LearningEcu(spread=0.5)
    log = simulate(CARS["heron"](), seed=SEEDS["heron"], minutes=40.0)
    trims = learn_along(log, ecu).trim_pct
    return table_text(airflow_grid(ecu.rpm, ecu.map_kpa, trims, holds=Holds.FUEL_TRIM), "\t")


if __name__ == "__main__":
    write_examples()

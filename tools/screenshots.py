"""Make the pictures of docs/screenshots from the demo job: ``.venv/bin/python tools/screenshots.py``."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import polars as pl
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.features.planning.control import PlanControl
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.features.proof.control import ProofControl
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.truth import truth_for
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.vehicle.fields import Key

HALF_S = 360.0
DRIVE_PACE = 10
EXAMPLES = Path(__file__).parent.parent / "examples"
LAYOUT_TURNS = 5
FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"


def wait(app: QApplication, condition: Callable[[], bool]) -> None:
    """Let the window live until something is true."""
    end = time.monotonic() + 120
    while not condition():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get there within two minutes")
        app.processEvents()
        time.sleep(0.01)
    for _ in range(LAYOUT_TURNS):
        app.processEvents()


def shoot(app: QApplication, window: MainWindow, name: str) -> None:
    """Save the window as it is once all is laid out: what breaks its lines anew takes a few turns."""
    for _ in range(LAYOUT_TURNS):
        app.processEvents()
    window.grab().save(str(FOLDER / f"{name}.png"))


def half_way(app: QApplication, window: MainWindow, log: Log) -> None:
    """A picture of the first drive, half driven."""
    if log.duration_s >= HALF_S and not (FOLDER / "driving.png").exists():
        window.grab().save(str(FOLDER / "driving.png"))


def main() -> None:
    """Walk through the demo's first two rounds."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    (FOLDER / "driving.png").unlink(missing_ok=True)
    app = QApplication([])
    window = make_window(FEATURES, Path(tempfile.mkdtemp()))
    window.resize(1280, 800)
    session = window.session
    window.show()
    shoot(app, window, "start")
    # The car drives so quickly that half way is seen only where it is told of.
    session.driving.connect(partial(half_way, app, window))
    window.opening.open_demo()
    wait(app, lambda: session.solution is not None and not session.is_busy)
    session.selection.set_cells(frozenset({16 * 4 + 6, 16 * 4 + 7, 16 * 5 + 6, 16 * 5 + 7}))
    shoot(app, window, "round-1")
    session.selection.clear()
    window.margin.show_page("sieve")
    window.margin.page("sieve").rows["tip"].unfold(True)
    shoot(app, window, "sieve")
    window.actions_["help"].trigger()
    shoot(app, window, "help")
    window.actions_["help"].trigger()
    window.margin.show_page("evidence")
    session.deciding.accept()
    shoot(app, window, "word-asked")
    session.deciding.confirm()
    session.selection.set_cells(frozenset({9 * 16 + 6}))
    window.actions_["as_curve"].trigger()
    shoot(app, window, "curve")
    window.actions_["as_curve"].trigger()
    session.selection.clear()
    session.rounds.drive()
    wait(
        app,
        lambda: (
            session.job is not None
            and len(session.job.rounds) == 2
            and session.solution is not None
            and not session.is_busy
        ),
    )
    window.actions_["night"].setChecked(True)
    window.fold.open()
    window.tape.look_at(180.0, 420.0)
    window.tape.go_to(300.0)
    window.margin.show_page("evidence")
    shoot(app, window, "round-2-night")
    window.show_desk("proof")
    wait(app, lambda: session.part(ProofControl).proof is not None)
    shoot(app, window, "proof-night")
    window.show_desk("table")
    window.actions_["night"].setChecked(False)
    _drive(app, window)
    _pulls(app, window)
    _transients(app, window)
    _findings(app, window)
    _import_sheet(app, window)
    _look(app, window)
    _new_job(app, window)
    window.close()


def _drive(app: QApplication, window: MainWindow) -> None:
    """The drive view while the simulated car is recorded, some minutes under way."""
    window.show_desk("plan")
    desk = window.desk("plan")
    assert isinstance(desk, PlanDesk)
    live = desk.record.live
    wait(app, lambda: desk.control.planned is not None)
    live.start([f"sim:?car=heron&seed=5&pace={DRIVE_PACE}"])
    wait(app, lambda: live.solved is not None and live.solved.known > 0)
    view = desk.record.view
    while view.alarms:
        view.acknowledge()
    view.resize(1280, 800)
    view.show()
    for _ in range(LAYOUT_TURNS):
        app.processEvents()
    view.grab().save(str(FOLDER / "drive-view.png"))
    live.stop(take_in=False)
    window.show_desk("table")


def _transients(app: QApplication, window: MainWindow) -> None:
    """Quick changes of the shown round by class, one of them chosen on the tape."""
    window.desks.show_desk("transients")
    desk = window.desks.desk("transients")
    wait(app, lambda: bool(desk.panels.panels) and not window.session.is_busy)
    desk.panels.chosen.emit(desk.panels.panels[1].one.events[0].event)
    shoot(app, window, "transients")
    window.session.selection.clear()
    window.desks.show_desk("table")


def _findings(app: QApplication, window: MainWindow) -> None:
    """A car with a tired pump: what was found, and its seconds on the tape."""
    session = window.session
    window.opening.open_demo(car="curlew")
    wait(
        app,
        lambda: session.solution is not None and not session.is_busy and session.job is not None,
    )
    wait(
        app,
        lambda: (
            session.job is not None and session.job.car == "curlew" and session.solution is not None
        ),
    )
    window.desks.show_desk("table")
    window.margin.show_page("findings")
    page = window.margin.page("findings")
    page.findings.itemClicked.emit(page.findings.item(0))
    shoot(app, window, "findings")
    window.margin.show_page("evidence")
    window.opening.open_demo()
    wait(
        app,
        lambda: (
            session.job is not None and session.job.car == "heron" and session.solution is not None
        ),
    )


def _pulls(app: QApplication, window: MainWindow) -> None:
    """The same car before and after, laid over each other."""
    window.desks.show_desk("pulls")
    desk = window.desks.desk("pulls")
    wait(app, lambda: len({row.number for row in desk.list.rows}) == 2)
    desk.list.choose(len(desk.list.rows) - 2)
    desk.list.select_beside(0)
    shoot(app, window, "pulls")
    window.show_desk("plan")
    wait(app, lambda: window.session.part(PlanControl).planned is not None)
    shoot(app, window, "plan")
    window.desks.show_desk("table")


def _new_job(app: QApplication, window: MainWindow) -> None:
    """A job of one's own, begun with a log; then cells without axes, and the Vehicle desk."""
    session = window.session
    window.actions_["close_job"].trigger()
    page = window._begin_job()
    page.take_log(EXAMPLES / "heron-evening.csv")
    wait(app, lambda: page.draft.told.path is not None)
    text = (EXAMPLES / "heron-table.txt").read_text(encoding="utf-8")
    page.airflow.take_text(text, "the clipboard")
    page.car.choices["fuel"].chosen.emit("E10")
    for key, typed in ((Key.CYLINDERS, "4"), (Key.DISPLACEMENT, "1.8")):
        page.car.numbers[key].edited.emit(typed, page.car.numbers[key].unit.currentText())
    page.car.name.setText("Night Heron")
    page.car.name.textEdited.emit("Night Heron")
    shoot(app, window, "new-job")
    made = page.draft.vehicle()
    bare = "\n".join(line.split("\t", 1)[1] for line in text.splitlines()[1:])
    page.airflow.take_text(bare, "the clipboard")
    path = Path(tempfile.mkdtemp()) / "night-heron.leantrim"
    window.opening.make_job(made, path, EXAMPLES / "heron-evening.csv")
    wait(app, lambda: session.solution is not None and not session.is_busy)
    window.desks.show_desk("vehicle")
    shoot(app, window, "vehicle")
    _injectors(app, window)


def _injectors(app: QApplication, window: MainWindow) -> None:
    """Other injectors in Heron, with its table made good before."""
    session = window.session
    car = heron()
    mesh = np.meshgrid(*(a.points for a in car.table.axes), indexing="ij")
    good = car.with_table(
        car.table.with_values(np.round(truth_for(car).ve_surface(mesh[1], mesh[0]), 1))
    )
    truth = replace(truth_for(good), flow_scale=0.93, dead_time_shift_ms=0.12)
    folder = Path(tempfile.mkdtemp())
    write_log_csv(
        simulate(good, seed=8, minutes=12.0, truth=truth, name="swap"), folder / "swap.csv"
    )
    window.opening.make_job(
        replace(good, name="Heron, other injectors"), folder / "a.leantrim", folder / "swap.csv"
    )
    wait(app, lambda: session.job is not None and session.job.vehicle.name.endswith("injectors"))
    wait(app, lambda: session.solution is not None and not session.is_busy)
    window.desks.show_desk("injectors")
    session.study.run()
    wait(app, lambda: session.study.report is not None)
    shoot(app, window, "injectors")


def _look(app: QApplication, window: MainWindow) -> None:
    """A log looked at without a job."""
    session = window.session
    assert session.round is not None
    path = Path(tempfile.mkdtemp()) / "somebody's drive.csv"
    write_log_csv(session.round.logs[0], path)
    window.look_at_log(path)
    page = window.look_page
    assert page is not None
    wait(app, lambda: page.look is not None and not session.is_busy)
    shoot(app, window, "look")
    page.back.click()


def _import_sheet(app: QApplication, window: MainWindow) -> None:
    """A log with German names, a wrong heading and a sensor voltage."""
    session = window.session
    folder = Path(tempfile.mkdtemp())
    assert session.round is not None
    log = session.round.logs[0]
    data = {
        "Zeit": log.time_s,
        "Drehzahl [1/min]": log[Role.RPM],
        "Saugrohrdruck [kPa]": log[Role.MAP] / 100,
        "Gang": log[Role.GEAR],
        "Drosselklappe [%]": log[Role.THROTTLE],
        "Wideband 0-5V [V]": (log[Role.LAMBDA] - 0.68) / 0.136,
        "Lambda Soll": log[Role.TARGET],
        "STFT B1": log[Role.STFT],
        "STFT B2": log[Role.STFT] + 0.3,
        "LTFT": log[Role.LTFT],
        "Kühlwassertemp": log[Role.COOLANT],
        "Einspritzzeit [ms]": log[Role.PULSE_WIDTH],
        "Öltemperatur": log[Role.COOLANT] + 6,
    }
    pl.DataFrame(data).write_csv(folder / "freitag.csv")
    window.tape.lane_sets.use("Air")
    session.imports.add([folder / "freitag.csv"])
    wait(app, lambda: session.imports.current is not None and not session.is_busy)
    shoot(app, window, "import-sheet")
    session.imports.discard()


if __name__ == "__main__":
    main()

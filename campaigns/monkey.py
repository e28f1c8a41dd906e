"""Every public action in any order, with tasks that end, fail and are dropped at any moment.

A step is an action of the user, the end of a task, or a turn of the model's loop; all of them, and
when a task's thread gets to run, are drawn from a seed. After each step memory has to be what the
file loads to.
"""

from __future__ import annotations

import contextlib
import random
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, is_dataclass, replace
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuel_corrections import WARM_UP, curve_of
from lean_trim.core.data.log import Log
from lean_trim.core.decision.shaping import Shape
from lean_trim.features.feature import parts_of
from lean_trim.features.pulls.control import PullsControl
from lean_trim.features.pulls.target_table import TargetTable
from lean_trim.features.registry import FEATURES
from lean_trim.features.transients.fuel_corrections import FuelCorrections
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.job.database import Database
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.kept_logs import KeptLogs
from lean_trim.job.loading import load_job, open_job
from lean_trim.job.records import Job, Round
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.workspace import opening, rounds
from lean_trim.workspace.changes import Notice
from lean_trim.workspace.destination import Place
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.tasks import Lane, Task
from lean_trim.workspace.vehicle.draft import draft_of
from lean_trim.workspace.workspace import Workspace

STEPS = 400
MINUTES = 3.0
FIRST = "first.leantrim"
SECOND = "second.leantrim"
LOGS = 4


def differences(kept: object, held: object, at: str = "") -> list[str]:
    """Where two records differ, as paths into them.

    Parameters
    ----------
    kept, held : what the file loads to, and what memory holds.
    """
    kept, held = (tuple(x) if isinstance(x, KeptLogs) else x for x in (kept, held))
    if isinstance(kept, np.ndarray) and isinstance(held, np.ndarray):
        same = kept.shape == held.shape and (
            np.array_equal(kept, held, equal_nan=True)
            if kept.dtype.kind == "f"
            else np.array_equal(kept, held)
        )
        return [] if same else [at]
    if isinstance(kept, float) and isinstance(held, float):
        return [] if kept == held or (kept != kept and held != held) else [at]
    if type(kept) is not type(held) and not (
        isinstance(kept, Mapping) and isinstance(held, Mapping)
    ):
        return [f"{at}: {type(kept).__name__} against {type(held).__name__}"]
    if isinstance(kept, Log) and isinstance(held, Log):
        return differences(
            (kept.time_s, dict(kept.channels)), (held.time_s, dict(held.channels)), at
        )
    if is_dataclass(kept):
        return [
            found
            for f in fields(kept)
            for found in differences(getattr(kept, f.name), getattr(held, f.name), f"{at}.{f.name}")
        ]
    if isinstance(kept, Mapping) and isinstance(held, Mapping):
        if set(kept) != set(held):
            return [f"{at}: {sorted(map(str, set(kept) ^ set(held)))}"]
        return [
            found for key in kept for found in differences(kept[key], held[key], f"{at}[{key}]")
        ]
    if isinstance(kept, tuple | list) and isinstance(held, tuple | list):
        if len(kept) != len(held):
            return [f"{at}: {len(kept)} against {len(held)}"]
        pairs = enumerate(zip(kept, held, strict=True))
        return [found for i, (a, b) in pairs for found in differences(a, b, f"{at}[{i}]")]
    return [] if kept == held else [f"{at}: {kept!r} against {held!r}"]


@dataclass
class Held:
    """Tasks whose threads have not run yet, in the order they were started."""

    waiting: list[Task] = field(default_factory=list)

    def start(self, task: Task) -> None:
        """In place of ``Task.start``."""
        self.waiting.append(task)

    def run(self, task: Task) -> None:
        """Let a task's thread run to its end; its answer waits for the model's loop."""
        self.waiting.remove(task)
        task._began = time.monotonic()
        task._thread.start()
        task._thread.join()


LANES = (Lane.READING, Lane.SOLVING, Lane.LOOKING, Lane.REFITTING, Lane.STUDY)


class Monkey:
    """One window's workspace and what is done to it."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.folder = folder
        self.random = random.Random(seed)
        self.loop = ManualLoop()
        self.workspace = Workspace(self.loop, parts_of(FEATURES))
        self.held = Held()
        self.refuses = False
        self.fails = False
        self.count = 0
        self.floor = 0
        self.done: list[str] = []
        self.notices: list[str] = []
        self.workspace.hub.subscribe(Notice, lambda n: self.notices.append(n.text))
        self.actions: dict[str, Callable[[], object]] = {
            name.removeprefix("do_"): getattr(self, name)
            for name in dir(self)
            if name.startswith("do_")
        }

    # ---- the world ---------------------------------------------------------------------------

    @contextlib.contextmanager
    def at_work(self) -> Iterator[None]:
        """With threads that wait, drives that are short, and a disk that can be told to refuse."""
        may_write = Database._may_write
        monkey = self

        def write(database: Database) -> None:
            if monkey.refuses and database.path.name != "elsewhere":
                raise SaveFailedError(database.path, "no room left on the disk")
            may_write(database)

        def read(*args: Any, **more: Any) -> Any:
            if monkey.fails:
                raise OSError("the disk does not answer")
            return open_job(*args, **more)

        def driven(*_: object, **__: object) -> Log:
            if monkey.fails:
                raise OSError("the simulated car does not start")
            return self.log(self.random.randrange(LOGS))

        with (
            mock.patch.object(Task, "start", lambda task: self.held.start(task)),
            mock.patch.object(Database, "_may_write", write),
            mock.patch.object(opening, "open_job", read),
            mock.patch.object(rounds, "drive_apart", driven),
        ):
            yield

    def log(self, which: int) -> Log:
        """One of a few short drives."""
        store = np.load(self.folder / f"log{which}.npz")
        channels = {Role(name): store[name] for name in store.files if name != "time"}
        return Log(store["time"], channels, f"log{which}.csv")

    def any_round(self) -> Round | None:
        job = self.workspace.open.job
        return None if job is None else self.random.choice(job.rounds)

    def cells(self) -> frozenset[int]:
        return frozenset(self.random.sample(range(224), self.random.choice((1, 3, 20))))

    # ---- what a user does --------------------------------------------------------------------

    def do_type_in(self) -> None:
        self.workspace.deciding.type_in(
            self.random.choice(("+3%", "=60", "x0.9", "oops")), self.cells()
        )
        self._answer()

    def _answer(self) -> None:
        """A change that needs a word is confirmed, done in part, or left to wait."""
        how = self.random.choice(("all", "others", "wait"))
        if how != "wait":
            self.workspace.deciding.confirm(others_only=how == "others")

    def do_shape(self) -> None:
        shaping = self.workspace.shaping
        cells = self.cells()
        self.random.choice(
            (
                lambda: shaping.nudge(cells, 1.0, goes_on=self._holds_a_key()),
                lambda: shaping.shape(Shape.SMOOTH, cells),
                lambda: shaping.shape(Shape.BLEND, cells),
                lambda: shaping.shape(Shape.FILL, cells),
                lambda: shaping.copy(cells) and shaping.lay(self.cells()),
            )
        )()
        self._answer()

    def _holds_a_key(self) -> bool:
        """A gesture goes on from what was done since the history was looked at, or from nothing."""
        return self.workspace.history.count() > self.floor and self.random.random() < 0.5

    def do_go_back_to(self) -> None:
        steps = len(self.workspace.deciding.trail)
        self.workspace.deciding.go_back_to(self.random.randrange(-1, max(steps, 1)))

    def do_accept(self) -> None:
        self.workspace.deciding.accept(self.random.choice((None, self.cells())))
        self._answer()

    def do_put_back(self) -> None:
        self.workspace.deciding.put_back(self.random.choice((None, self.cells())))

    def do_pin(self) -> None:
        self.workspace.deciding.pin(self.cells())

    def do_leave_out(self) -> None:
        start = self.random.uniform(0.0, 100.0)
        self.workspace.deciding.leave_out(start, start + self.random.uniform(1.0, 60.0))

    def do_mark(self) -> None:
        self.workspace.marks.mark(self.random.uniform(0.0, 150.0), self.random.choice(("", "bump")))

    def do_turn(self) -> None:
        value = self.random.choice((0.5, 1.0, 2.0))
        self.workspace.tuning.turn("sieve", "tip.after_s", value)

    def do_switch(self) -> None:
        self.workspace.tuning.switch("tip", self.random.random() < 0.5)

    def do_policy(self) -> None:
        self.workspace.tuning.turn("policy", "gain_idle", self.random.choice((0.3, 0.5)))

    def do_earlier(self) -> None:
        self.workspace.tuning.use_earlier(1, self.random.random() < 0.5)

    def do_rest(self) -> None:
        self.workspace.tuning.rest()

    def do_reset(self) -> None:
        self.workspace.tuning.reset()

    def do_undo(self) -> None:
        self.workspace.navigation.undo()

    def do_redo(self) -> None:
        self.workspace.navigation.redo()

    def do_show(self) -> None:
        r = self.any_round()
        if r is not None and self.workspace.open.job is not None:
            self.workspace.navigation.show_round(self.workspace.open.job.index_of(r.id) or 0)

    def do_begin_round(self) -> None:
        job = self.workspace.open.job
        if job is None or len(job.rounds) < 6:
            self.workspace.rounds.begin_round()

    def do_go_back(self) -> None:
        job = self.workspace.open.job
        if job is None or len(job.rounds) < 6:
            self.workspace.rounds.go_back()

    def do_drive(self) -> None:
        job = self.workspace.open.job
        if job is None or len(job.rounds) < 6:
            self.workspace.rounds.drive()

    def do_hand_over(self) -> None:
        self.workspace.rounds.hand_over(self.folder / f"out{self.count}.csv")

    def do_copied(self) -> None:
        self.workspace.rounds.copied()

    def do_add_log(self) -> None:
        names = self.random.sample(range(LOGS), self.random.choice((1, 2)))
        paths = [self.folder / f"log{i}.csv" for i in names]
        self.workspace.imports.add(paths, look=self.random.random() < 0.2)

    def do_replace_log(self) -> None:
        r = self.any_round()
        if r is not None and r.log_infos:
            which = self.random.choice(r.log_infos).id
            path = self.folder / f"log{self.random.randrange(LOGS)}.csv"
            self.workspace.imports.add([path], replaces=(r.id, which))

    def do_answer(self) -> None:
        imports = self.workspace.imports
        self.random.choice(
            (imports.accept, imports.discard, lambda: imports.answers.use_barometer(98.0))
        )()

    def do_place(self) -> None:
        self.workspace.imports.place(self.random.choice((Place.HERE, Place.NEXT)))

    def do_remove_log(self) -> None:
        self._with_log(self.workspace.logs.remove)

    def do_rest_log(self) -> None:
        self._with_log(self.workspace.logs.leave_out)

    def do_count_again(self) -> None:
        r = self.any_round()
        if r is not None and r.resting:
            self.workspace.logs.count_again(r.id, r.resting[0].info.id)

    def do_move_log(self) -> None:
        target = self.any_round()
        if target is not None:
            self._with_log(lambda r, log: self.workspace.logs.move(r, log, target.id))

    def _with_log(self, action: Callable[[int, int], object]) -> None:
        r = self.any_round()
        if r is not None and r.log_infos:
            action(r.id, self.random.choice(r.log_infos).id)

    def do_swap(self) -> None:
        self.workspace.swaps.mark(self.random.random() < 0.5)

    def do_scale(self) -> None:
        ways = self.workspace.scale.ways(1.1)
        if ways and self.random.random() < 0.5:
            self.workspace.scale.move(self.random.choice(ways).at, 1.1)
        else:
            self.workspace.scale.put_back()

    def do_injectors(self) -> None:
        injectors = self.workspace.injectors
        name = self.random.choice(("injector_flow", "dead_time"))
        if injectors.base(name) is not None:
            self.random.choice(
                (
                    lambda: injectors.type_in(name, 0, "+2%"),
                    lambda: injectors.put_back(name),
                    lambda: injectors.accept(name),
                    lambda: injectors.nudge(
                        name, frozenset({1, 2}), 1.0, goes_on=self._holds_a_key()
                    ),
                    lambda: injectors.shape(name, frozenset({0, 1, 2}), Shape.SMOOTH),
                    lambda: injectors.go_back_to(name, self.random.randrange(-1, 2)),
                )
            )()

    def do_targets(self) -> None:
        targets = self.workspace.parts[TargetTable]
        if targets.base is not None:
            self.random.choice(
                (
                    lambda: targets.type_in("x0.99", frozenset({0, 1})),
                    lambda: targets.nudge(frozenset({200, 201}), 1.0, goes_on=self._holds_a_key()),
                    lambda: targets.shape(Shape.BLEND, frozenset({64, 80, 96})),
                    lambda: targets.go_back_to(self.random.randrange(-1, 2)),
                    lambda: targets.put_back(),
                )
            )()

    def do_learned_map(self) -> None:
        """A learned map comes, is said of, taken into the table, or put away."""
        learned = self.workspace.learned
        trims = "kPa\\rpm\t900\t1500\t2100\n40\t3\t4\t0\n60\t{a}\t4\t2\n80\t0\t5\t3\n"
        self.random.choice(
            (
                lambda: learned.read_text(trims.format(a=self.random.randrange(-5, 9))),
                lambda: learned.say_bias(self.random.choice((0.0, 2.0, 9.0))),
                learned.take,
                learned.offer,
                learned.put_away,
            )
        )()

    def do_nudge_beside(self) -> None:
        """Cells of tables beside the airflow table, some at a time."""
        injectors = self.workspace.injectors
        cells = frozenset({0, 2})
        self.random.choice(
            (
                lambda: injectors.nudge("dead_time", cells, -1.0),
                lambda: injectors.put_back("dead_time", cells),
                lambda: injectors.accept("dead_time", cells),
                self.workspace.airflow_tables.turn_over,
            )
        )()

    def do_paste_correction(self) -> None:
        tables = self.workspace.parts[FuelCorrections]
        added = sorted((self.random.uniform(0.0, 40.0) for _ in range(4)), reverse=True)
        tables.take_table(WARM_UP, curve_of(WARM_UP, [-20, 20, 40, 80], added))

    def do_correction(self) -> None:
        tables = self.workspace.parts[FuelCorrections]
        if tables.base(WARM_UP) is not None:
            self.random.choice(
                (
                    lambda: tables.type_in(WARM_UP, self.random.randrange(4), "+2%"),
                    lambda: tables.put_back(WARM_UP),
                    lambda: tables.accept(WARM_UP),
                )
            )()

    def do_altitude(self) -> None:
        self.workspace.parts[PullsControl].set_altitude(self.random.choice((0.0, 400.0, 99000.0)))

    def do_trust(self) -> None:
        self.workspace.study.trust(self.random.choice((1.0, 5.0)))

    def do_vehicle(self) -> None:
        job = self.workspace.open.job
        if job is not None:
            draft = draft_of(replace(job.vehicle, name=f"car {self.random.randrange(9)}"))
            # Typed for a job that may have been closed meanwhile.
            number = self.workspace.open.number - int(self.random.random() < 0.3)
            before = job.vehicle
            done = self.workspace.vehicles.change(draft, number)
            assert not done or number == self.workspace.open.number or job.vehicle is before

    def do_judge(self) -> None:
        self.workspace.solver.judge_anew()

    def do_solve(self) -> None:
        self.workspace.solver.solve()

    def do_look_for_pulls(self) -> None:
        self.workspace.parts[PullsControl].want()

    # ---- files -------------------------------------------------------------------------------

    def do_open(self) -> None:
        self.workspace.opening.open_path(self.folder / self.random.choice((FIRST, SECOND)))

    def do_reopen(self) -> None:
        path = self.workspace.open.path
        if path is not None:
            self.workspace.opening.open_path(path)

    def do_close(self) -> None:
        if self.random.random() < 0.3:
            self.workspace.opening.close_job()

    def do_let_go(self) -> None:
        self.workspace.opening.let_go()

    def do_save_elsewhere(self) -> None:
        if self.random.random() < 0.3:
            self.workspace.saving.save_elsewhere(self.folder / f"elsewhere{self.count}.leantrim")

    def do_another_window(self) -> None:
        path = self.workspace.open.path
        if path is None or self.refuses or self.random.random() > 0.3:
            return
        other = JobStore(path, take=False)
        other.take_over()
        if self.random.random() < 0.7:
            other.close()

    def do_take_over(self) -> None:
        self.workspace.opening.take_over()

    def do_disk(self) -> None:
        self.refuses = self.random.random() < 0.25
        self.fails = self.random.random() < 0.2

    # ---- time --------------------------------------------------------------------------------

    def do_cancel(self) -> None:
        self.workspace.tasks.cancel(self.random.choice((None, *LANES)))

    def do_let_run(self) -> None:
        if self.held.waiting:
            self.held.run(self.random.choice(self.held.waiting))

    def do_turn_loop(self) -> None:
        self.loop.turn()

    # ---- what must hold ----------------------------------------------------------------------

    def step(self) -> None:
        """One thing, drawn; time goes on more often than any single action."""
        self.count += 1
        names = list(self.actions)
        weights = [12.0 if n in ("let_run", "turn_loop") else 1.0 for n in names]
        name = self.random.choices(names, weights)[0]
        self.done.append(name)
        before = self.workspace.open.job
        number = self.workspace.open.number
        # What the file refused is done again once the job goes on elsewhere; that may well undo
        # cells.
        refused = bool(self.workspace.saving.unsaved)
        self.actions[name]()
        if (
            name in ("let_run", "turn_loop")
            and not refused
            and number == self.workspace.open.number
        ):
            self._nothing_taken_away(before)
        self.check()

    def _nothing_taken_away(self, before: Job | None) -> None:
        """What ends in the background adds; it never takes back what was acknowledged."""
        after = self.workspace.open.job
        if before is None or after is None:
            return
        for old in before.rounds:
            new = after.round_of(old.id)
            assert new is not None, f"round {old.number} is gone"
            assert differences(dict(old.decisions), dict(new.decisions)) == [], "a decision is gone"
            # What takes the place of a log takes the marks on it along, which is said.
            assert set(old.marks) <= set(new.marks) or old.log_infos != new.log_infos
            known = {i.id for i in new.log_infos} | {x.info.id for x in new.resting}
            gone = {i.id for i in old.log_infos} - known
            assert not gone or any("stands in the place of" in text for text in self.notices)

    def check(self) -> None:
        """Memory is what the file loads to."""
        job = self.workspace.open.job
        path = self.workspace.open.path
        if job is None or path is None:
            return
        # Another window may have written since; what this one shows is then what it last read.
        if self.workspace.open.read_only:
            return
        kept = load_job(path)
        assert [r.number for r in job.rounds] == sorted(r.number for r in job.rounds)
        found = differences(kept, job)
        assert found == [], found[:5]
        store = self.workspace.open.store
        assert store is not None and store.settings() == dict(self.workspace.open.settings)

    def undo_everything(self) -> None:
        """A few changes; undone, the job is what it was, and after all before them as well."""
        self.refuses = self.fails = False
        self._rest()
        workspace = self.workspace
        if workspace.open.job is None or workspace.open.read_only:
            return
        workspace.navigation.show_round(len(workspace.open.job.rounds) - 1)
        self._rest()
        before = _plain(workspace.open.job)
        self.floor = workspace.history.count()
        for name in self.random.choices(UNDOABLE, k=6):
            self.done.append(name)
            self.actions[name]()
            self.check()
        workspace.tuning.rest()
        self._undo_to(self.floor)
        self._same_as(before, "undo")
        # What was done before the job was opened, or this round was shown, is undone and redone too.
        self._undo_to(0)
        for _ in range(self.floor):
            workspace.navigation.redo()
            self.check()
        self._same_as(before, "redo")
        self.floor = 0

    def _undo_to(self, count: int) -> None:
        while self.workspace.history.count() > count:
            left = self.workspace.history.count()
            self.workspace.navigation.undo()
            # Another window took the file, and this is the first write that met it.
            if self.workspace.open.read_only:
                return
            assert self.workspace.history.count() == left - 1, "undo did nothing"
            self.check()

    def _same_as(self, before: Job, doing: str) -> None:
        if self.workspace.open.read_only:
            return
        job = self.workspace.open.job
        assert job is not None
        found = differences(before, _plain(job))
        # The trail of what was done and undone only grows.
        found = [where for where in found if ".steps" not in where]
        assert found == [], (doing, found[:5])

    def _rest(self) -> None:
        """Let everything run out."""
        self.workspace.tuning.rest()
        while self.held.waiting or self.workspace.tasks.running:
            for task in tuple(self.held.waiting):
                self.held.run(task)
            self.loop.turn()


UNDOABLE = (
    "type_in",
    "accept",
    "shape",
    "go_back_to",
    "put_back",
    "pin",
    "leave_out",
    "mark",
    "turn",
    "switch",
    "rest_log",
    "remove_log",
    "swap",
    "scale",
    "targets",
    "learned_map",
    "nudge_beside",
    "rest",
)


def _plain(job: Job) -> Job:
    """A job without what is worked out anew after every change."""
    return replace(
        job, rounds=tuple(replace(r.without_outcome(), predictions={}) for r in job.rounds)
    )


def prepare(folder: Path) -> None:
    """Two jobs and a few short logs, as all trials begin with."""
    vehicle = heron()
    for which in range(LOGS):
        log = simulate(vehicle, seed=40 + which, minutes=MINUTES, name=f"log{which}.csv")
        write_log_csv(log, folder / f"log{which}.csv")
        arrays: dict[str, Any] = {
            "time": log.time_s,
            **{str(r): v for r, v in log.channels.items()},
        }
        np.savez(folder / f"log{which}.npz", **arrays)
    for name, car, logs in ((FIRST, "heron", 1), (SECOND, "", 0)):
        # An interrupted campaign goes on where it stopped, and prepares anew.
        (folder / name).unlink(missing_ok=True)
        store = JobStore.create(folder / name, vehicle, car=car)
        log = simulate(vehicle, seed=1, minutes=MINUTES, name="first")
        if logs:
            store.add_logs(store.load().rounds[0].id, [store_log(log)])
        store.close()


def play(folder: Path, seed: int, steps: int) -> Monkey:
    """So many steps from a seed, on copies of the files in a folder.

    Raises
    ------
    AssertionError
        Where something does not hold.
    """
    with tempfile.TemporaryDirectory(prefix="monkey-") as name:
        own = Path(name)
        for path in folder.iterdir():
            (own / path.name).write_bytes(path.read_bytes())
        monkey = Monkey(own, seed)
        with monkey.at_work():
            try:
                monkey.workspace.opening.open_path(own / FIRST)
                for at in range(1, steps + 1):
                    monkey.step()
                    if at % 100 == 0:
                        monkey.undo_everything()
                monkey._rest()
                monkey.check()
            finally:
                monkey.refuses = False
                monkey.workspace.opening.close_job()
        return monkey


def _trial(folder: Path, seed: int) -> Trial:
    wrong = ""
    done: list[str] = []
    began = time.monotonic()
    monkeys: list[Monkey] = []
    try:
        monkeys.append(play(folder, seed, STEPS))
        done = monkeys[0].done
    except AssertionError as error:
        wrong = f"does not hold: {error}"
    except Exception as error:
        wrong = f"{type(error).__name__}: {error}"
    return {
        "steps": STEPS,
        "seconds": time.monotonic() - began,
        "kinds": len(set(done)),
        "wrong": wrong,
        "threads": threading.active_count(),
    }


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["wrong"]]


def _table(results: Sequence[Trial]) -> list[str]:
    steps = sum(int(r["steps"]) for r in results)
    return [
        "Every public action of the open job in any order, with tasks that end, fail, are "
        "cancelled and are",
        "dropped at any moment, a disk that refuses, another window that takes the job over, and "
        "jobs that",
        "are closed, opened and saved elsewhere meanwhile. After each step memory has to be what "
        "the file",
        "loads to; every 100 steps six changes are undone to the start.",
        "",
        "| runs | steps | kinds of steps | runs in which something did not hold |",
        "|---|---|---|---|",
        f"| {len(results)} | {steps} | {max(int(r['kinds']) for r in results)} | "
        f"{len(_failed(results))} |",
    ]


CAMPAIGN = Campaign(
    title="Anything in any order",
    count=50,
    prepare=prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)

"""The open job and everything that may be done to it, put together. Knows no window."""

from __future__ import annotations

from collections.abc import Sequence

from lean_trim.workspace.additions import Additions
from lean_trim.workspace.airflow_tables import AirflowTables
from lean_trim.workspace.axis_edits import AxisEdits
from lean_trim.workspace.changes import Hub
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.elsewhere import Elsewhere
from lean_trim.workspace.history import History
from lean_trim.workspace.imports import LogImports
from lean_trim.workspace.injector_study import InjectorStudy
from lean_trim.workspace.injector_tables import InjectorTables
from lean_trim.workspace.kept import KeptAnswers
from lean_trim.workspace.learned_maps import LearnedMaps
from lean_trim.workspace.log_export import LogExport
from lean_trim.workspace.loop import EventLoop
from lean_trim.workspace.marks import Marks
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.notes import Notes
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.opening import Opening
from lean_trim.workspace.parts import MakePart, Parts
from lean_trim.workspace.round_logs import RoundLogs
from lean_trim.workspace.rounds import Rounds
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.scale_moves import ScaleMoves
from lean_trim.workspace.shaping import Shaping
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.swap import Swaps
from lean_trim.workspace.tasks import Tasks
from lean_trim.workspace.trying_without import TryingWithout
from lean_trim.workspace.tuning import TuningControl
from lean_trim.workspace.vehicle.changing import VehicleChanges
from lean_trim.workspace.words import Words
from lean_trim.workspace.work_state import Work


class Workspace:
    """Composes the parts; each takes the open job and the collaborators it names, and knows no other.

    A part hears a message before those composed after it, and before any view.

    Parameters
    ----------
    loop : runs the model's thread.
    features : parts that features bring along, made last and in this order.
    """

    def __init__(self, loop: EventLoop, features: Sequence[MakePart] = ()) -> None:
        hub = Hub()
        self.hub = hub
        self.open = job = OpenJob(hub)
        self.tasks = tasks = Tasks(loop, hub)
        self.history = history = History(hub)
        self.saving = saving = Saving(job, tasks, history)
        self.tuning = tuning = TuningControl(job, saving, history, loop)
        self.kept = kept = KeptAnswers(job)
        self.solver = solver = Solver(job, tasks, tuning, saving, kept)
        self.navigation = navigation = Navigation(job, history, saving, tuning, solver)
        self.work = work = Work(job, tasks, solver)
        self.opening = opening = Opening(job, tasks, saving, tuning, navigation)
        self.marks = Marks(job, saving, history)
        self.swaps = Swaps(job, saving, history)
        self.words = words = Words(job, saving, history)
        self.notes = notes = Notes(job, words)
        self.deciding = deciding = Deciding(job, saving, history, solver, work)
        self.shaping = Shaping(job, solver, deciding)
        self.elsewhere = Elsewhere(job, saving, navigation, solver, deciding)
        self.airflow_tables = AirflowTables(job, saving, navigation, solver)
        self.learned = LearnedMaps(job, saving, history, solver, deciding)
        self.without = TryingWithout(job, tasks, solver)
        self.axis_edits = AxisEdits(job, saving, history, navigation, solver)
        self.vehicles = VehicleChanges(job, saving, history, navigation)
        self.logs = logs = RoundLogs(job, saving, history, tuning, navigation)
        self.log_export = LogExport(job, tasks)
        additions = Additions(job, navigation, saving)
        self.imports = imports = LogImports(job, tasks, saving, navigation, solver, additions, logs)
        self.study = study = InjectorStudy(job, tasks, saving, solver)
        self.injectors = injectors = InjectorTables(job, saving, history, navigation, work, study)
        self.scale = scale = ScaleMoves(job, saving, history, solver, injectors)
        self.rounds = Rounds(job, tasks, saving, navigation, solver, additions, scale, work)
        core = (
            job,
            tasks,
            history,
            saving,
            tuning,
            kept,
            solver,
            navigation,
            opening,
            work,
            deciding,
            words,
            notes,
            imports,
        )
        self.parts = Parts(*core, study, injectors, scale)
        for make in features:
            self.parts.put(make(self.parts))

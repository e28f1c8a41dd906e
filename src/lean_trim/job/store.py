"""What the program asks of a job file.

Create, open, load, and save every kind of change in one transaction each.
"""

from __future__ import annotations

import contextlib
import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from lean_trim.core.data.calibration import Calibration
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision
from lean_trim.core.errors import BadInputError
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.vehicle_sheet import vehicle_dict
from lean_trim.job.choices import choices_in, put_choices
from lean_trim.job.creation import make_file
from lean_trim.job.database import NO_FILE, Database, now
from lean_trim.job.errors import DamagedJobError, JobFileError, SaveFailedError, cause_of
from lean_trim.job.evidence_rows import put_evidence
from lean_trim.job.kept_rows import put_kept, read_kept
from lean_trim.job.learned_rows import put_learned
from lean_trim.job.log_writing import (
    drop_unused_logs,
    keep_log,
    put_log,
    put_marks,
    put_round_logs,
    put_spans,
)
from lean_trim.job.reading import log_info, log_infos
from lean_trim.job.records import (
    Job,
    KeptAnswer,
    LearnedMap,
    LogInfo,
    Mark,
    Outcome,
    Prediction,
    Revision,
    Round,
    Span,
    StoredEvidence,
    StoredLog,
    Word,
    WordKey,
)
from lean_trim.job.round_logs import marks_with
from lean_trim.job.step_rows import drop_last_step, put_step
from lean_trim.job.store_parts import (
    put_first_round,
    put_settings,
    put_vehicle,
    sound_job,
    subject_of,
    with_kept_ids,
)
from lean_trim.job.trail import Step
from lean_trim.job.tuning import Tuning, tuning_text
from lean_trim.job.word_rows import put_words
from lean_trim.job.writing import (
    drop_decision,
    drop_outcome,
    put_changed,
    put_decision,
    put_handed,
    put_outcome,
    put_prediction,
    put_proposal,
    put_revision,
    put_round,
    put_tables,
    put_verdict,
    put_whole,
)

SUFFIX = ".leantrim"


class JobStore:
    """One open job file. Every method that changes something is one transaction.

    It raises SaveFailedError and leaves the file as it was if it cannot be written.
    """

    def __init__(self, path: Path, take: bool = True, database: Database | None = None) -> None:
        self.path = path
        self.database = Database(path, take) if database is None else database

    @property
    def db(self) -> sqlite3.Connection:
        """The connection, for reading."""
        return self.database.db

    @property
    def read_only(self) -> str:
        """Why nothing can be saved, "" if it can."""
        return self.database.read_only

    @classmethod
    def create(cls, path: Path, vehicle: Vehicle, car: str = "") -> JobStore:
        """Make a new job with a first, empty round on the vehicle's tables, and open it.

        Parameters
        ----------
        path : of the new file.
        vehicle : with its tables.
        car : name of the simulated car, "" for a real vehicle.

        Returns
        -------
        The open job.

        Raises
        ------
        BadInputError
            If the file exists or its folder does not.
        SaveFailedError
            If it cannot be written; nothing is left behind.
        """
        make_file(path, lambda db: put_first_round(db, vehicle, car))
        return cls(path)

    @classmethod
    def in_memory(cls, vehicle: Vehicle, car: str = "") -> JobStore:
        """A new job that is kept in no file, for a log that is only looked at.

        Parameters
        ----------
        vehicle, car : as for ``create``.

        Returns
        -------
        An open job; ``write_copy`` puts what is in it into a file.
        """
        return cls(
            NO_FILE, database=Database.in_memory(lambda db: put_first_round(db, vehicle, car))
        )

    @classmethod
    def write_copy(
        cls, path: Path, job: Job, settings: Mapping[str, str], choices: Mapping[str, Choices]
    ) -> JobStore:
        """Write a whole job that is in memory to a new file, and open it.

        Returns the open copy, held by this window. Raises BadInputError, SaveFailedError as
        ``create`` does.
        """

        def fill(db: sqlite3.Connection) -> None:
            sheet = json.dumps(vehicle_dict(job.vehicle))
            db.execute("INSERT INTO vehicle (id, sheet, car) VALUES (1, ?, ?)", (sheet, job.car))
            put_whole(db, job)
            put_settings(db, settings, choices)

        make_file(path, fill)
        return cls(path)

    def bring_up_to_date(
        self, before: Job, after: Job, settings: Mapping[str, str], choices: Mapping[str, Choices]
    ) -> None:
        """Write what a job has become since it was copied here.

        Parameters
        ----------
        before : as it was copied.
        after : as it is now, made from that one.
        settings, choices : as they are now.
        """
        with self.database.writing() as db:
            if after.vehicle is not before.vehicle:
                put_vehicle(db, after.vehicle)
            put_changed(db, before, after)
            put_settings(db, settings, choices)

    def take_place_of(self, before: JobStore) -> None:
        """Become the one that writes in place of another store of this window, which is closed."""
        self.database.take_place_of(before.database)

    def close(self) -> None:
        """Close the file; nothing is pending. Logs that were removed from every round go now."""
        if not self.read_only:
            # They cost room only; a file that refuses now keeps them until it is closed the next
            # time.
            with contextlib.suppress(SaveFailedError), self.database.writing() as db:
                drop_unused_logs(db)
        self.database.close()

    def take_over(self) -> None:
        """Become the window that writes; SaveFailedError if the file cannot be written to."""
        self.database.take_over()

    def add_logs(
        self, round_id: int, logs: Sequence[StoredLog], marks: Sequence[Mark] | None = None
    ) -> tuple[LogInfo, ...]:
        """Add logs to a round; returns where all its logs came from.

        Parameters
        ----------
        round_id : the round they belong to.
        logs : in the order they were driven.
        marks : all bookmarks of the round with them; None leaves those it has.

        Returns
        -------
        One entry per log of the round.
        """
        with self.database.writing() as db:
            # A verdict on fewer logs is not this round's, even if the round has ended meanwhile.
            drop_outcome(db, round_id)
            for stored in logs:
                put_log(db, round_id, stored)
            if marks is not None:
                put_marks(db, round_id, marks)
            return log_infos(db, round_id)

    def keep_log(self, stored: StoredLog) -> LogInfo:
        """Write a log that belongs to no round yet, so that a change that follows can be quick.

        Returns where it came from, with its id.
        """
        with self.database.writing() as db:
            return log_info(db, keep_log(db, stored))

    def save_round_logs(self, rounds: Sequence[Round]) -> tuple[Round, ...]:
        """Keep which logs belong to rounds and which rest, with stretches, bookmarks, verdict and proposals.

        Returns the same rounds, logs under the ids the file keeps them under.
        """
        with self.database.writing() as db:
            for r in rounds:
                put_round_logs(db, r)
                put_outcome(db, r)
            return tuple(with_kept_ids(db, r) for r in rounds)

    def begin_round(
        self,
        parent: Round,
        calibration: Calibration,
        logs: Sequence[StoredLog] = (),
        prediction: Prediction | None = None,
        note: str = "",
    ) -> Round:
        """Start a round on a new revision made from another round's, with its logs if they are there already.

        It goes on with the parent's settings. ``prediction`` is what the parent foretells of it,
        and is kept with the parent.

        Parameters
        ----------
        parent : the round it is made from.
        calibration : as it will be driven.
        logs : already driven on it.
        prediction : what the parent foretells of it, kept with the parent.
        note : where its tables come from, if not from what the parent decided.

        Returns
        -------
        The new round.
        """
        # What made the car another came before the parent.
        tuning = replace(parent.tuning, car_changed="")
        with self.database.writing() as db:
            if prediction is not None:
                put_prediction(db, parent.id, parent.subject, prediction)
            number = 1 + int(db.execute("SELECT max(number) FROM rounds").fetchone()[0])
            revision_id = put_revision(db, parent.revision.id, calibration)
            round_id = put_round(db, number, revision_id, parent.subject, tuning, note)
            for stored in logs:
                put_log(db, round_id, stored)
            marks = marks_with(None, logs)
            put_marks(db, round_id, marks)
            created = str(
                db.execute("SELECT created FROM revisions WHERE id = ?", (revision_id,)).fetchone()[
                    0
                ]
            )
            started = str(
                db.execute("SELECT started FROM rounds WHERE id = ?", (round_id,)).fetchone()[0]
            )
            infos = log_infos(db, round_id)
        revision = Revision(revision_id, parent.revision.id, created, calibration)
        return Round(
            id=round_id,
            number=number,
            started=started,
            revision=revision,
            subject=parent.subject,
            logs=tuple(s.log for s in logs),
            log_infos=infos,
            tuning=tuning,
            note=note,
            marks=marks,
        )

    def save_decision(
        self,
        round_id: int,
        table_name: str,
        decision: Decision,
        step: Step | None = None,
        amends: bool = False,
    ) -> None:
        """Keep what was decided so far on one table, with the step that led to it.

        Untouched cells take no row.

        Parameters
        ----------
        round_id : a round.
        table_name : a table of its calibration.
        decision : replaces an earlier one.
        step : of the trail; None where there was none.
        amends : it takes the place of the step before.
        """
        with self.database.writing() as db:
            put_decision(db, round_id, table_name, decision)
            if amends:
                drop_last_step(db, round_id)
            if step is not None:
                put_step(db, round_id, step)

    def save_tables(
        self,
        changed: Round,
        tables: Mapping[str, Table | None],
        decisions: Mapping[str, Decision | None],
        judge_again: bool = False,
        step: Step | None = None,
        amends: bool = False,
    ) -> None:
        """Keep tables of a round's revision, and what was decided on them, together.

        Parameters
        ----------
        changed : a round.
        tables : by name; None takes the table out.
        decisions : by name; None takes the decision back.
        judge_again : drop verdict and proposals, which spoke of other tables.
        step : of the trail; None where there was none.
        amends : it takes the place of the step before.
        """
        with self.database.writing() as db:
            if judge_again:
                drop_outcome(db, changed.id)
            put_tables(db, changed.revision.id, tables)
            for name, decision in decisions.items():
                if decision is None:
                    drop_decision(db, changed.id, name)
                else:
                    put_decision(db, changed.id, name, decision)
            if amends:
                drop_last_step(db, changed.id)
            if step is not None:
                put_step(db, changed.id, step)

    def save_left_out(
        self, round_id: int, spans: Sequence[Span], judge_again: bool = False
    ) -> None:
        """Keep the stretches left out by hand.

        Parameters
        ----------
        round_id : a round.
        spans : replace earlier ones.
        judge_again : drop verdict and proposals, which spoke of other stretches.
        """
        with self.database.writing() as db:
            if judge_again:
                drop_outcome(db, round_id)
            put_spans(db, round_id, spans)

    def save_marks(self, round_id: int, marks: Sequence[Mark]) -> None:
        """Keep the bookmarks."""
        with self.database.writing() as db:
            put_marks(db, round_id, marks)

    def save_learned(self, round_id: int, learned: LearnedMap | None) -> None:
        """Keep what the ECU learned by itself.

        Parameters
        ----------
        round_id : a round.
        learned : replaces an earlier map; None takes it away.
        """
        with self.database.writing() as db:
            put_learned(db, round_id, learned)

    def save_tuning(self, round_id: int, tuning: Tuning) -> None:
        """Keep a round's own settings."""
        with self.database.writing() as db:
            db.execute(
                "UPDATE rounds SET settings = ? WHERE id = ?", (tuning_text(tuning), round_id)
            )

    def save_kind(self, round_id: int, kind: str) -> None:
        """Keep what kind of work a round is.

        Parameters
        ----------
        round_id : a round.
        kind : one of ``ROUND_KINDS``.
        """
        with self.database.writing() as db:
            db.execute("UPDATE rounds SET kind = ? WHERE id = ?", (kind, round_id))

    def save_subject(self, table_name: str) -> None:
        """Keep which of two airflow tables is under correction, in all rounds.

        Parameters
        ----------
        table_name : "ve" or "maf".
        """
        with self.database.writing() as db:
            db.execute("UPDATE rounds SET subject = ?", (table_name,))

    def save_outcome(self, round_id: int, outcome: Outcome) -> None:
        """Keep what a solve says of a round.

        Parameters
        ----------
        round_id : a round.
        outcome : verdict and proposals; replace earlier ones.
        """
        with self.database.writing() as db:
            put_verdict(db, round_id, outcome.table_name, outcome.verdict)
            for name, proposal in outcome.proposals.items():
                put_proposal(db, round_id, name, proposal)
            if outcome.evidence is not None:
                put_evidence(db, round_id, {outcome.table_name: outcome.evidence})

    def save_words(self, round_id: int, words: Mapping[WordKey, Word]) -> None:
        """Keep what the user answered and noted of a round.

        Parameters
        ----------
        round_id : a round.
        words : all of them; they replace what was kept.
        """
        with self.database.writing() as db:
            put_words(db, round_id, words)

    def save_evidence(self, round_id: int, table_name: str, evidence: StoredEvidence) -> None:
        """Keep what a drive said of a table.

        Parameters
        ----------
        round_id : a round.
        table_name : the table it speaks of.
        evidence : replaces what was kept.
        """
        with self.database.writing() as db:
            put_evidence(db, round_id, {table_name: evidence})

    def keep_answer(self, round_id: int, kind: str, answer: KeptAnswer) -> None:
        """Keep something that was worked out of a round.

        Parameters
        ----------
        round_id : a round.
        kind : what it is.
        answer : replaces what was kept of that kind.
        """
        with self.database.writing() as db:
            put_kept(db, round_id, kind, answer)

    def kept_answer(self, round_id: int, kind: str) -> KeptAnswer | None:
        """Something that was worked out of a round before.

        Parameters
        ----------
        round_id : a round.
        kind : what it is.

        Returns
        -------
        None if nothing sound is kept.
        """
        with self.database.lock:
            return read_kept(self.db, round_id, kind)

    def mark_handed_over(
        self,
        round_id: int,
        how: str,
        handed: Mapping[str, Table],
        prediction: Prediction | None = None,
    ) -> str:
        """Keep how and when the calibration left the job, with which cells, and what its drive should show.

        Parameters
        ----------
        round_id : a round.
        how : a few words.
        handed : tables by name.
        prediction : what the next drive should show, None if nobody can say.

        Returns
        -------
        The note.
        """
        note = f"{now()} {how}"
        with self.database.writing() as db:
            db.execute("UPDATE rounds SET handed_over = ? WHERE id = ?", (note, round_id))
            put_handed(db, round_id, handed)
            put_prediction(db, round_id, subject_of(db, round_id), prediction)
        return note

    def save_vehicle(self, vehicle: Vehicle) -> None:
        """Keep what the vehicle is, beside its tables."""
        with self.database.writing() as db:
            put_vehicle(db, vehicle)

    def save_choices(self, shape: str, choices: Choices) -> None:
        """Keep what the user said about logs of one shape."""
        with self.database.writing() as db:
            put_choices(db, shape, choices)

    def load_choices(self) -> dict[str, Choices]:
        """What was said about logs, by shape; what is not understood is left out."""
        with self.database.lock:
            return choices_in(self.db)

    def settings(self) -> dict[str, str]:
        """Every setting of this job."""
        with self.database.lock:
            return {
                str(k): str(v)
                for k, v in self.db.execute("SELECT key, value FROM settings").fetchall()
            }

    def setting(self, key: str, default: str = "") -> str:
        """A setting of this job.

        Parameters
        ----------
        key : its name.
        default : if it was never kept.

        Returns
        -------
        Its text.
        """
        return self.settings().get(key, default)

    def save_setting(self, key: str, value: str) -> None:
        """Keep a setting of this job."""
        with self.database.writing() as db:
            db.execute("INSERT OR REPLACE INTO settings VALUES (?, ?)", (key, value))

    def load(self) -> Job:
        """Everything in the file.

        Raises
        ------
        DamagedJobError
            Naming what cannot be.
        """
        found: list[Job] = []
        try:
            self.database.reading(lambda db: found.append(sound_job(db)))
        except BadInputError as error:
            raise DamagedJobError(self.path, str(error)) from error
        except (KeyboardInterrupt, SystemExit, JobFileError):
            raise
        # Damaged contents fail in as many ways as there are libraries: values, types, a panic of
        # the Parquet reader.
        except BaseException as error:
            raise DamagedJobError(
                self.path, f"its contents cannot be read ({cause_of(error)})"
            ) from error
        return found[0]

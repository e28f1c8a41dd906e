"""SQL that writes a job's parts, inside the caller's transaction."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Collection, Mapping

import numpy as np

from lean_trim import __version__
from lean_trim.core.data.calibration import Calibration
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.decision.round_verdict import DrivenCells
from lean_trim.core.types import Floats
from lean_trim.job.blobs import table_row
from lean_trim.job.database import now
from lean_trim.job.evidence_rows import put_evidence
from lean_trim.job.learned_rows import put_learned
from lean_trim.job.log_writing import put_round_logs
from lean_trim.job.records import Job, Prediction, Round, StoredProposal, Verdict
from lean_trim.job.step_rows import put_steps
from lean_trim.job.tuning import Tuning, tuning_text
from lean_trim.job.word_rows import put_words


def put_table(db: sqlite3.Connection, name: str, table: Table) -> int:
    """Add a table; returns its id.

    Returns its id.
    """
    row = db.execute(
        "INSERT INTO tables (kind, name, unit, axes, cells, created) VALUES (?, ?, ?, ?, ?, ?)",
        (name, *table_row(table), now()),
    )
    return int(row.lastrowid or 0)


def put_revision(
    db: sqlite3.Connection,
    parent_id: int | None,
    calibration: Calibration,
    revision_id: int | None = None,
) -> int:
    """Add a revision with all its tables, under a given id or a new one; returns its id.

    Parameters
    ----------
    db : in a transaction.
    parent_id : the revision it was made from, None for the first.
    calibration : all its tables.
    revision_id : None for a new one.

    Returns
    -------
    Its id.
    """
    row = db.execute(
        "INSERT INTO revisions (id, parent_id, created) VALUES (?, ?, ?)",
        (revision_id, parent_id, now()),
    )
    revision_id = int(row.lastrowid or 0)
    for name in calibration:
        table_id = put_table(db, name, calibration[name])
        db.execute("INSERT INTO revision_tables VALUES (?, ?, ?)", (revision_id, name, table_id))
    return revision_id


def put_tables(
    db: sqlite3.Connection, revision_id: int, tables: Mapping[str, Table | None]
) -> None:
    """Replace tables a revision need not have.

    Parameters
    ----------
    db : in a transaction.
    revision_id : a revision.
    tables : by name; None takes the table out.
    """
    for name, table in tables.items():
        db.execute(
            "DELETE FROM revision_tables WHERE revision_id = ? AND name = ?", (revision_id, name)
        )
        if table is not None:
            table_id = put_table(db, name, table)
            db.execute(
                "INSERT INTO revision_tables VALUES (?, ?, ?)", (revision_id, name, table_id)
            )
    # Rounds share tables by content; what none holds any more goes.
    db.execute("DELETE FROM tables WHERE id NOT IN (SELECT table_id FROM revision_tables)")


def put_round(
    db: sqlite3.Connection,
    number: int,
    revision_id: int,
    subject: str,
    tuning: Tuning,
    note: str = "",
) -> int:
    """Add an empty round; returns its id.

    Parameters
    ----------
    db : in a transaction.
    number : counted from 1.
    revision_id : it is driven on.
    subject : table that is corrected.
    tuning : its settings.
    note : where its tables come from.

    Returns
    -------
    Its id.
    """
    row = db.execute(
        "INSERT INTO rounds (number, started, revision_id, subject, settings, note) "
        "VALUES (?, ?, ?, ?, ?, ?)",
        (number, now(), revision_id, subject, tuning_text(tuning), note),
    )
    return int(row.lastrowid or 0)


def put_decision(
    db: sqlite3.Connection, round_id: int, table_name: str, decision: Decision
) -> None:
    """Replace the decision on one table; untouched cells take no row.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    table_name : a table of its calibration.
    decision : replaces an earlier one.
    """
    values, origin = decision.values.ravel(), decision.origin.ravel()
    pinned = decision.pinned.ravel()
    # A table of 400 cells of which 20 are decided takes 20 rows.
    taken = np.flatnonzero((origin != Origin.UNTOUCHED) | pinned)
    columns = (x[taken].tolist() for x in (values, origin.astype(int), pinned.astype(int)))
    rows = [(round_id, table_name, *cell) for cell in zip(taken.tolist(), *columns, strict=True)]
    drop_decision(db, round_id, table_name)
    db.executemany("INSERT INTO decided_cells VALUES (?, ?, ?, ?, ?, ?)", rows)


def drop_decision(db: sqlite3.Connection, round_id: int, table_name: str) -> None:
    """Take back what was decided on one table.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    table_name : a table of its calibration.
    """
    db.execute(
        "DELETE FROM decided_cells WHERE round_id = ? AND table_name = ?", (round_id, table_name)
    )


def put_verdict(db: sqlite3.Connection, round_id: int, table_name: str, verdict: Verdict) -> None:
    """Replace the verdict; one without version or date gets the present ones.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    table_name : the table it speaks of.
    verdict : replaces an earlier one.
    """
    # SQLite keeps NaN as NULL in either case; said here so that it is read back as one.
    figures = [
        v if math.isfinite(v) else None
        for v in (verdict.residual_rms, verdict.trim_rms, verdict.within_3)
    ]
    db.execute(
        "INSERT OR REPLACE INTO verdicts (round_id, table_name, residual_rms, trim_rms, within_3, "
        "program, judged, cells) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            round_id,
            table_name,
            *figures,
            verdict.program or __version__,
            verdict.judged or now(),
            _driven_text(verdict.driven),
        ),
    )


def _driven_text(driven: DrivenCells | None) -> str:
    """What a drive showed by cell, as it is kept; "" for nothing."""
    if driven is None:
        return ""
    gaps, seconds = (
        [None if math.isnan(x) else x for x in values.tolist()]
        for values in (driven.gap_pct, driven.seconds)
    )
    kept = {"gap_pct": gaps, "seconds": seconds}
    return json.dumps({**kept, "is_curve": driven.is_curve, "doubted": driven.doubted})


def drop_outcome(db: sqlite3.Connection, round_id: int) -> None:
    """Drop verdict and proposals of a round, because what they speak of changes."""
    db.execute("DELETE FROM verdicts WHERE round_id = ?", (round_id,))
    db.execute("DELETE FROM proposals WHERE round_id = ?", (round_id,))
    db.execute("DELETE FROM evidence WHERE round_id = ?", (round_id,))


def put_outcome(db: sqlite3.Connection, r: Round) -> None:
    """Replace verdict and proposals of a round by those of a record, none where it has none."""
    # Never both: a verdict that stays beside another proposal would be about something else.
    drop_outcome(db, r.id)
    for name, verdict in r.verdicts.items():
        put_verdict(db, r.id, name, verdict)
    for name, proposal in r.proposals.items():
        put_proposal(db, r.id, name, proposal)
    put_evidence(db, r.id, r.evidence)


def put_handed(db: sqlite3.Connection, round_id: int, handed: Mapping[str, Table]) -> None:
    """Replace the tables that were handed over.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    handed : tables by name, whole: what the round holds of them later may have other axes, or be
        gone.
    """
    db.execute("DELETE FROM handed_over_tables WHERE round_id = ?", (round_id,))
    for name, table in handed.items():
        label, unit, axes, cells = table_row(table)
        db.execute(
            "INSERT INTO handed_over_tables (round_id, table_name, cells, label, unit, axes) "
            "VALUES (?, ?, ?, ?, ?, ?)",
            (round_id, name, cells, label, unit, axes),
        )


PROPOSAL_DIGITS = 4
"""Decimals of a percentage in a proposal that is kept; a table's field is ten times as coarse at
best."""


def as_kept(pct: Floats) -> Floats:
    """Percentages of a proposal as the file keeps them, so that memory holds no others.

    Parameters
    ----------
    pct : any shape, percent.

    Returns
    -------
    Flat.
    """
    # Python's rounding, which the file's text has; NumPy's differs in the last bit.
    return np.array([round(x, PROPOSAL_DIGITS) for x in pct.ravel().tolist()])


def put_proposal(
    db: sqlite3.Connection, round_id: int, table_name: str, proposal: StoredProposal
) -> None:
    """Replace the proposal for one table.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    table_name : a table of its calibration.
    proposal : replaces an earlier one.
    """
    columns = {
        "asked_pct": proposal.asked_pct,
        "step_pct": proposal.step_pct,
        "std_error_pct": proposal.std_error_pct,
    }
    cells = {
        k: [x if math.isfinite(x) else None for x in as_kept(v).tolist()]
        for k, v in columns.items()
    }
    db.execute(
        "INSERT OR REPLACE INTO proposals VALUES (?, ?, ?, ?, ?)",
        (
            round_id,
            table_name,
            json.dumps(cells | {"status": list(proposal.status)}),
            proposal.program or __version__,
            proposal.made or now(),
        ),
    )


def put_prediction(
    db: sqlite3.Connection, round_id: int, table_name: str, prediction: Prediction | None
) -> None:
    """Replace what the next drive should show.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    table_name : the table it speaks of.
    prediction : replaces an earlier one; None leaves none.
    """
    db.execute(
        "DELETE FROM predictions WHERE round_id = ? AND table_name = ?", (round_id, table_name)
    )
    if prediction is not None:
        db.execute(
            "INSERT INTO predictions VALUES (?, ?, ?, ?, ?)",
            (round_id, table_name, prediction.residual_rms, prediction.std_error, now()),
        )


def put_whole(db: sqlite3.Connection, job: Job) -> None:
    """Write every round with all that belongs to it.

    Ids are kept, so that what is in memory goes on to fit the file.

    Parameters
    ----------
    db : a new job, in a transaction.
    job : as it is in memory.
    """
    written: set[int] = set()
    # A parent before its children, whose rows name it.
    for r in sorted(job.rounds, key=lambda r: r.revision.id):
        if r.revision.id not in written:
            _put_kept_revision(db, r, written)
            written.add(r.revision.id)
    for r in job.rounds:
        _put_whole_round(db, r)


def put_changed(db: sqlite3.Connection, before: Job, after: Job) -> None:
    """Write the rounds in which a job differs from what it was; records that are the same are left alone.

    Parameters
    ----------
    db : a job that holds ``before``, in a transaction.
    before, after : the job as it is in the file, and as it is to be; rounds are only ever added.
    """
    known = {r.id: r for r in before.rounds}
    revisions = {r.revision.id for r in before.rounds}
    for r in after.rounds:
        old = known.get(r.id)
        if old is None:
            _put_kept_revision(db, r, revisions)
            revisions.add(r.revision.id)
            _put_whole_round(db, r)
        # Records are frozen: one that is the same object cannot have changed.
        elif old is not r:
            _put_round_again(db, old, r)


def _put_kept_revision(db: sqlite3.Connection, r: Round, written: Collection[int]) -> None:
    parent = r.revision.parent_id if r.revision.parent_id in written else None
    put_revision(db, parent, r.revision.calibration, r.revision.id)
    db.execute("UPDATE revisions SET created = ? WHERE id = ?", (r.revision.created, r.revision.id))


def _put_whole_round(db: sqlite3.Connection, r: Round) -> None:
    db.execute(
        "INSERT INTO rounds VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            r.id,
            r.number,
            r.started,
            r.revision.id,
            r.subject,
            tuning_text(r.tuning),
            r.handed_over,
            r.note,
            r.kind,
        ),
    )
    put_round_logs(db, r)
    _put_round_parts(db, r)


def _put_round_again(db: sqlite3.Connection, old: Round, r: Round) -> None:
    """Everything of a round that can be other than it was."""
    db.execute(
        "UPDATE rounds SET settings = ?, handed_over = ?, note = ?, kind = ? WHERE id = ?",
        (tuning_text(r.tuning), r.handed_over, r.note, r.kind, r.id),
    )
    tables = old.revision.calibration.tables
    kept = r.revision.calibration.tables
    # By identity, which is cheap and never says that a changed table is the same.
    changed = {
        name: kept.get(name) for name in {*tables, *kept} if tables.get(name) is not kept.get(name)
    }
    if changed:
        put_tables(db, r.revision.id, changed)
    for name in old.decisions.keys() - r.decisions.keys():
        drop_decision(db, r.id, name)
    put_round_logs(db, r)
    _put_round_parts(db, r)


def _put_round_parts(db: sqlite3.Connection, r: Round) -> None:
    for name, decision in r.decisions.items():
        put_decision(db, r.id, name, decision)
    put_handed(db, r.id, r.handed)
    put_outcome(db, r)
    db.execute("DELETE FROM predictions WHERE round_id = ?", (r.id,))
    for name, prediction in r.predictions.items():
        put_prediction(db, r.id, name, prediction)
    put_steps(db, r.id, r.steps)
    put_learned(db, r.id, r.learned)
    put_words(db, r.id, r.words)

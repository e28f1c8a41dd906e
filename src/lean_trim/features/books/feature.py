"""Keeping a job's file, as open formats too, and comparing its revisions, declared."""

from __future__ import annotations

from lean_trim.features.books.command import CHECK, COMPACT, EXPORT, IMPORT, REPAIR
from lean_trim.features.feature import Feature
from lean_trim.ui.specs import Command, FeatureCommand, Needs, Place
from lean_trim.workspace.parts import Parts


def _care(parts: Parts) -> object:
    from lean_trim.features.books.care import FileCare
    from lean_trim.workspace.navigation import Navigation
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.opening import Opening
    from lean_trim.workspace.tasks import Tasks

    return FileCare(parts[OpenJob], parts[Tasks], parts[Opening], parts[Navigation])


def _compare(place: Place, on: bool) -> None:
    from lean_trim.features.books.pages.compare_sheet import show_over

    show_over(place)


def _export(place: Place, on: bool) -> None:
    from lean_trim.features.books.pages.file_questions import ask_export

    ask_export(place)


def _import(place: Place, on: bool) -> None:
    from lean_trim.features.books.pages.file_questions import ask_import

    ask_import(place)


def _repair(place: Place, on: bool) -> None:
    from lean_trim.features.books.pages.file_questions import ask_repair

    ask_repair(place)


def _check(place: Place, on: bool) -> None:
    from lean_trim.features.books.care import FileCare

    place.session.part(FileCare).check()


def _compact(place: Place, on: bool) -> None:
    from lean_trim.features.books.care import FileCare

    place.session.part(FileCare).compact()


ACTIONS = (
    FeatureCommand(
        Command(
            name="compare_revisions",
            menu="Round",
            text="Compare two revisions…",
            tip="Any two states of the calibration beside each other, every table, cell by cell",
            also="difference diff versions base",
            needs=Needs.JOB,
            after="go_back",
        ),
        _compare,
    ),
    FeatureCommand(
        Command(
            name="export_job",
            menu="Job",
            text="Export the job as a folder…",
            tip="Rounds, tables, logs and decisions as JSON, CSV and Parquet, with a README; comes back "
            "without loss",
            also="open formats backup archive",
            needs=Needs.JOB,
            after="save_elsewhere",
        ),
        _export,
    ),
    FeatureCommand(
        Command(
            name="import_job",
            menu="Job",
            text="Import a job from a folder…",
            tip="Make a job file of a folder that was exported",
            also="restore archive",
            after="export_job",
        ),
        _import,
    ),
    FeatureCommand(
        Command(
            name="check_job",
            menu="Job",
            text="Look through the job file",
            tip="Every value of it is read and checked; says how much room is not used",
            also="integrity check damage verify size",
            needs=Needs.JOB,
            after="import_job",
        ),
        _check,
    ),
    FeatureCommand(
        Command(
            name="compact_job",
            menu="Job",
            text="Compact the job file",
            tip="Gives back what is not used any more: the bytes of logs that were taken out go for good",
            also="smaller shrink vacuum size",
            needs=Needs.JOB,
            after="check_job",
        ),
        _compact,
    ),
    FeatureCommand(
        Command(
            name="repair_job",
            menu="Job",
            text="Repair a damaged job…",
            tip="Copies what can still be read into a new job; the damaged file stays as it is",
            also="recover rescue broken corrupt",
            after="compact_job",
        ),
        _repair,
    ),
)
BOOKS = Feature(
    name="books", parts=(_care,), commands=(EXPORT, IMPORT, CHECK, COMPACT, REPAIR), actions=ACTIONS
)

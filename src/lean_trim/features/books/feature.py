"""Keeping a job as open formats and comparing its revisions, declared."""

from __future__ import annotations

from lean_trim.features.books.command import EXPORT, IMPORT
from lean_trim.features.feature import Feature
from lean_trim.ui.specs import Command, FeatureCommand, Needs, Place


def _compare(place: Place, on: bool) -> None:
    from lean_trim.features.books.pages.compare_sheet import show_over

    show_over(place)


COMPARE = FeatureCommand(
    Command(
        name="compare_revisions",
        menu="Round",
        text="Compare two revisions…",
        tip="Any two states of the calibration beside each other, every table, cell by cell",
        also="difference diff versions base",
        needs=Needs.JOB,
    ),
    _compare,
)
BOOKS = Feature(name="books", commands=(EXPORT, IMPORT), actions=(COMPARE,))

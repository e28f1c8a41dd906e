"""Keeping a job as open formats, declared."""

from __future__ import annotations

from lean_trim.features.books.command import EXPORT, IMPORT
from lean_trim.features.feature import Feature

BOOKS = Feature(name="books", commands=(EXPORT, IMPORT))

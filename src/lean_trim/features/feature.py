"""What a feature is: everything it brings along, declared in one place and named in one list."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from lean_trim.cli.parser import Subcommand
from lean_trim.ui.specs import DeskSpec, FeatureCommand, OutputSpec, PageSpec
from lean_trim.workspace.parts import MakePart

if TYPE_CHECKING:
    from lean_trim.core.data.shown_units import UnitChoice


@dataclass(frozen=True)
class Feature:
    """One feature. What is heavy is imported where it is made, not where it is declared.

    Attributes
    ----------
    name : for the program.
    parts : what it adds to the open job: lookups with a lane of their own, side tables and the
        like. Each is made from those before it; their messages are classes of its package.
    desk : its desk, with pages of the margin and a page of help.
    commands : without a window, as ``lean-trim NAME``.
    actions : of the menus and the command finder.
    outputs : files that can be written of the shown round.
    units : a quantity it shows, and what it may be shown in.
    """

    name: str
    parts: tuple[MakePart, ...] = ()
    desk: DeskSpec | None = None
    commands: tuple[Subcommand, ...] = ()
    actions: tuple[FeatureCommand, ...] = ()
    outputs: tuple[OutputSpec, ...] = ()
    units: tuple[UnitChoice, ...] = ()


def parts_of(features: Sequence[Feature]) -> tuple[MakePart, ...]:
    """What the open job is composed of beside its own parts, in the order it is made."""
    return tuple(make for feature in features for make in feature.parts)


def desks_of(features: Sequence[Feature]) -> tuple[DeskSpec, ...]:
    """Desks in the order of the work, which is that of the list."""
    return tuple(f.desk for f in features if f.desk is not None)


def pages_of(features: Sequence[Feature]) -> tuple[PageSpec, ...]:
    """Every page of the margin once, as the desks name them."""
    return tuple(dict.fromkeys(_pages(desks_of(features))))


def _pages(desks: Sequence[DeskSpec]) -> Iterator[PageSpec]:
    for desk in desks:
        yield from desk.pages


def commands_of(features: Sequence[Feature]) -> tuple[Subcommand, ...]:
    """Commands without a window, in the order of the list."""
    return tuple(command for feature in features for command in feature.commands)

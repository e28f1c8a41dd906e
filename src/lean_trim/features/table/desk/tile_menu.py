"""Menus of the tiles: what can be done with the chosen cells, and which cells are chosen."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from lean_trim.core.decision.choices import Choice

SHAPES = ("smooth", "blend", "straighten", "fill")
"""Shapes that show what they would do, in the order of the menu."""
CORRECTIONS = ("copy_correction", "lay_correction")
CHOICES = tuple(f"choose_{choice}" for choice in Choice)
AXES = tuple(f"{act}_{line}" for line in ("row", "column") for act in ("insert", "move", "remove"))
REGIONS = (
    *(f"region_{name}" for name in ("idle", "part", "full", "boost", "told")),
    "draw_regions",
)
NUDGES = ("nudge_up", "nudge_down")


def shape_menu(
    actions: Mapping[str, QAction], preview: Callable[[str], None], parent: QWidget
) -> QMenu:
    """Ways of shaping; the one that is pointed at shows what it would do.

    Parameters
    ----------
    actions : of the window, by name.
    preview : called with the name of a shape, "" when none is pointed at.
    parent : of the menu.

    Returns
    -------
    The menu.
    """
    menu = QMenu("Shape", parent)
    menu.setToolTipsVisible(True)
    for name in (*SHAPES, *CORRECTIONS, *NUDGES):
        menu.addAction(actions[name])
    names = {actions[name]: name for name in SHAPES}
    menu.hovered.connect(lambda action: preview(names.get(action, "")))
    menu.aboutToHide.connect(lambda: preview(""))
    return menu


def choose_menu(actions: Mapping[str, QAction], parent: QWidget) -> QMenu:
    """Ways of choosing cells.

    Parameters
    ----------
    actions : of the window, by name.
    parent : of the menu.

    Returns
    -------
    The menu.
    """
    menu = QMenu("Choose", parent)
    for name in ("select_all", *CHOICES):
        menu.addAction(actions[name])
    return menu


def tile_menu(
    actions: Mapping[str, QAction], preview: Callable[[str], None], parent: QWidget
) -> QMenu:
    """Everything that is done with chosen cells.

    Parameters
    ----------
    actions : of the window, by name.
    preview : as for ``shape_menu``.
    parent : of the menu.

    Returns
    -------
    The menu.
    """
    menu = QMenu(parent)
    for name in ("accept", "put_back", "pin"):
        menu.addAction(actions[name])
    menu.addSeparator()
    menu.addMenu(shape_menu(actions, preview, menu))
    menu.addMenu(choose_menu(actions, menu))
    regions = menu.addMenu("Region")
    for name in REGIONS:
        regions.addAction(actions[name])
    axes = menu.addMenu("Rows and columns")
    for name in AXES:
        axes.addAction(actions[name])
    menu.addSeparator()
    for name in ("page_evidence", "zoom_chosen"):
        menu.addAction(actions[name])
    menu.addSeparator()
    for name in ("copy", "copy_cells", "hand_over_as", "paste", "undo", "history"):
        menu.addAction(actions[name])
    return menu

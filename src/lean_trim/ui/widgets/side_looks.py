"""What tiles and curve of a table beside the airflow table have in common: shapes, looks, history."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, replace

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QMenu, QToolButton, QWidget

from lean_trim.core.decision.shaping import Shape
from lean_trim.core.errors import LeanTrimError
from lean_trim.job.trail import Stood
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.history_sheet import HistorySheet
from lean_trim.ui.widgets.picture import Pictured
from lean_trim.ui.widgets.side_curve import SideCurve
from lean_trim.ui.widgets.side_grid import SideGrid
from lean_trim.workspace.side_shaping import SHAPE_WORDS, shaped_freely

SHAPE_TEXTS = {
    Shape.SMOOTH: "Smooth these cells",
    Shape.BLEND: "Blend between their edges",
    Shape.STRAIGHTEN: "Straighten between their edges",
}
LOOK_TEXTS = {"percent": "In percent", "log_across": "Log across", "log_up": "Log up"}
"""Ways of looking at the curve, by their field of ``Look``."""


@dataclass(frozen=True)
class SideActs:
    """What is done to such a table.

    Attributes
    ----------
    what : the table in a sentence, with its article.
    shape : makes cells smooth, blend or straight.
    put : puts a cell on a value, in the table's own unit; whether it was done.
    trail : how it came about, oldest step first.
    go_back : to a step of that.
    """

    what: str
    shape: Callable[[frozenset[int], Shape], object]
    put: Callable[[int, float], bool]
    trail: Callable[[], list[Stood]]
    go_back: Callable[[int], object]


def looks_with_focus() -> SideLooks | None:
    """The table beside the airflow table that has the focus; None where another one, or nothing, has it.

    Returns the nearest around the focus.
    """
    widget = QApplication.focusWidget()
    while widget is not None:
        looks = getattr(widget, "looks", None)
        if isinstance(looks, SideLooks):
            return looks
        widget = widget.parentWidget()
    return None


class SideLooks(QObject):
    """The curve beside a grid, the switch between them, and the menus both share."""

    def __init__(
        self,
        grid: SideGrid,
        acts: SideActs,
        session: Session,
        appearance: Appearance,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.grid = grid
        self.acts = acts
        self.session = session
        self.place = parent
        self.curve = SideCurve(grid, appearance, parent)
        self.curve.dragged.connect(self._put_point)
        self.as_curve = QToolButton(parent)
        self.as_curve.setText("Curve")
        self.as_curve.setObjectName("figure")
        self.as_curve.setCheckable(True)
        self.as_curve.setToolTip("As a curve: points are dragged, nudged or typed over")
        self.past: HistorySheet | None = None

    @property
    def cells(self) -> frozenset[int]:
        """The chosen cells; the current one where none is."""
        return self.grid.chosen or frozenset({self.grid.current})

    @property
    def shown(self) -> QWidget:
        """Tiles or curve."""
        return self.curve if self.as_curve.isChecked() else self.grid

    @property
    def pictured(self) -> Pictured:
        """What is shown, as picture and numbers."""
        return self.curve.pictured if self.as_curve.isChecked() else self.grid.pictured

    def show_parts(self, there: bool) -> None:
        """Show tiles or curve and the switch, or nothing of them."""
        self.as_curve.setVisible(there)
        self.curve.setVisible(there and self.as_curve.isChecked())
        self.grid.setVisible(there and not self.as_curve.isChecked())

    def _put_point(self, cell: int, value: float) -> None:
        """Where a point was dragged to, typed for the user."""
        if not self.acts.put(cell, value):
            self.curve.refresh()

    def add_to(self, menu: QMenu, can: bool) -> None:
        """Add shapes, looks and history to a menu.

        Parameters
        ----------
        menu : of the tiles, the curve or the card.
        can : whether the table may be changed.
        """
        shapes = menu.addMenu("Shape")
        shapes.setEnabled(can)
        by_action = {}
        for how in SHAPE_WORDS:
            action = shapes.addAction(SHAPE_TEXTS[how])
            action.triggered.connect(lambda _=False, how=how: self.acts.shape(self.cells, how))
            by_action[action] = how
        shapes.hovered.connect(lambda action: self._preview(by_action.get(action)))
        shapes.aboutToHide.connect(lambda: self._preview(None))
        looks = menu.addMenu("Curve")
        for name, text in LOOK_TEXTS.items():
            looks.addAction(self._look_action(looks, name, text))
        if self.grid.table is not None and len(self.grid.table.axes) == 2:
            turn = looks.addAction("Along the other axis")
            turn.triggered.connect(self._turn)
        past = menu.addAction("How this table came about")
        past.triggered.connect(self.show_history)

    def run(self, name: str) -> bool:
        """Do what a command of the airflow table does, to this one.

        Parameters
        ----------
        name : of the command.

        Returns
        -------
        False where it is nothing for this table.
        """
        if name == "history":
            self.show_history()
        elif name in tuple(SHAPE_WORDS):
            self.acts.shape(self.cells, Shape(name))
        else:
            return False
        return True

    def _look_action(self, menu: QMenu, name: str, text: str) -> QAction:
        action = QAction(text, menu)
        action.setCheckable(True)
        action.setChecked(bool(getattr(self.curve.look, name)))
        table = self.grid.table
        # Of nothing there are no percent.
        whole = table is not None and bool((table.values > 0.0).all())
        if name == "percent":
            action.setEnabled(whole)
        elif name == "log_up":
            action.setEnabled(not self.curve.look.percent)
        action.toggled.connect(lambda on: self._look(name, on))
        return action

    def _look(self, name: str, on: bool) -> None:
        values = {f.name: getattr(self.curve.look, f.name) for f in fields(self.curve.look)}
        self.curve.show_look(replace(self.curve.look, **(values | {name: on})))
        self.as_curve.setChecked(True)

    def _turn(self) -> None:
        self.curve.show_look(replace(self.curve.look, along=1 - self.curve.look.along))
        self.as_curve.setChecked(True)

    def _preview(self, how: Shape | None) -> None:
        """Show on the tiles what a shape would do; None shows what stands."""
        table = self.grid.table
        decision = self.grid.decision
        if how is None or table is None or decision is None:
            self.grid.show_preview(None)
            return
        try:
            values = shaped_freely(how, table, decision, self.cells)
        except LeanTrimError:
            # Chosen, it says itself why it cannot be done.
            values = None
        self.grid.show_preview(values)

    def show_history(self) -> None:
        """Show how the table came about, over the page."""
        page = self.place.window()
        if self.past is None:
            self.past = HistorySheet(
                self.session, page, self.acts.what, self.acts.trail, self.acts.go_back
            )
            self.past.gone.connect(lambda: self.shown.setFocus())
        corner = self.shown.mapTo(page, QPoint(self.shown.width(), self.shown.height()))
        self.past.open_at(corner.x(), corner.y())

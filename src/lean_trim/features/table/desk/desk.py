"""The table desk: figures on top, the tiles, their legend, and where the user decides."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QAction, QFocusEvent, QGuiApplication
from PySide6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from lean_trim.core.data.axis_edit import Act
from lean_trim.core.decision.shaping import Shape
from lean_trim.features.table.desk.axis_sheet import AxisSheet
from lean_trim.features.table.desk.balance_table import BalanceTable
from lean_trim.features.table.desk.curve_panel import CurvePanel
from lean_trim.features.table.desk.decision_bar import DecisionBar
from lean_trim.features.table.desk.hand_over_as import HandOverAs
from lean_trim.features.table.desk.legend import Legend
from lean_trim.features.table.desk.reason_strip import ReasonStrip
from lean_trim.features.table.desk.table_header import TableHeader
from lean_trim.features.table.desk.table_switch import TableSwitch
from lean_trim.features.table.desk.tile_menu import shape_menu, tile_menu
from lean_trim.features.table.desk.tile_words import smoothing_words
from lean_trim.ui.session import Session
from lean_trim.ui.specs import Place
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.history_sheet import HistorySheet
from lean_trim.ui.widgets.picture import add_picture_actions
from lean_trim.ui.widgets.shown_stack import ShownStack
from lean_trim.workspace.changes import LearnedOffered
from lean_trim.workspace.elsewhere import Edited
from lean_trim.workspace.shaping import COARSE_PCT

ROW, COLUMN = 0, 1
"""Axes of a grid."""
EDITED_FILTER = "Tables (*.csv *.txt *.tsv *.xlsx *.ods *.json);;All files (*)"


def table_desk(place: Place) -> TableDesk:
    """The window's desk on which cells are decided."""
    desk = place.desk("table")
    assert isinstance(desk, TableDesk)
    return desk


class TableDesk(QWidget):
    """Decide cell by cell what is written."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.actions_by_name = actions
        self.legend_stays = False
        self.switch = TableSwitch(session)
        self.header = TableHeader(session, appearance)
        self.table = BalanceTable(session, appearance)
        self.legend = Legend(session, appearance, parent=self.table)
        self.bar = DecisionBar(session, appearance, actions)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.reason = ReasonStrip(session, appearance)
        self.curve = CurvePanel(session, appearance)
        self.stack = ShownStack()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.curve)
        for part in (self.switch, self.header, self.reason, self.stack, self.bar):
            layout.addWidget(part, int(part is self.stack))
        self._connect_curve()
        self.header.figure_chosen.connect(self.table.show_figure)
        self.header.base_chosen.connect(self.table.hold_against)
        self.table.refreshed.connect(self._tell_legend)
        self.table.resized.connect(self._tell_legend)
        self.bar.marks.hovered.connect(lambda on: self.show_legend(on or self.legend_stays))
        self.bar.marks.clicked.connect(actions["legend"].trigger)
        self.table.typed.connect(self.bar.begin_typing)
        self.table.hovered.connect(self.hovered)
        self.past = HistorySheet(
            session,
            parent=self.table,
            what="this table",
            trail=lambda: session.deciding.trail,
            go_back=session.deciding.go_back_to,
        )
        self.past.gone.connect(self.table.setFocus)
        self.table.nudged.connect(self._nudge)
        self.table.menu_wanted.connect(self._open_menu)
        self.bar.shape.setMenu(shape_menu(actions, self._show_shape, self))
        self.bar.offer.left.connect(lambda: self.table.show_preview(None))
        session.told(LearnedOffered).connect(self._offer_learned)

    def _connect_curve(self) -> None:
        view = self.curve.view
        view.typed.connect(self.bar.begin_typing)
        view.nudged.connect(self._nudge)
        view.menu_wanted.connect(self._open_menu)
        view.hovered.connect(self.hovered)
        view.dragged.connect(self._put_point)
        self.header.as_curve.toggled.connect(self.actions_by_name["as_curve"].setChecked)

    def show_curve(self, on: bool) -> None:
        """The table as a curve, or as tiles."""
        self.stack.setCurrentWidget(self.curve if on else self.table)
        self.header.as_curve.setChecked(on)
        self._focus().setFocus()

    def _focus(self) -> QWidget:
        return self.curve.view if self.stack.currentWidget() is self.curve else self.table

    def _put_point(self, cell: int, value: float) -> None:
        """Where a point was dragged to, typed for the user."""
        self.session.deciding.type_in(f"={value:.6f}", frozenset({cell}))

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Whoever turns to this desk by key goes on among the tiles, or on the curve."""
        self._focus().setFocus(event.reason())

    def _show_shape(self, shape: str) -> None:
        """Show on the tiles what a shape would do; "" shows what stands."""
        shaping = self.session.shaping
        cells = self.session.selection.cells
        self.table.show_preview(shaping.preview(Shape(shape), cells) if shape else None)

    def _open_menu(self, place: QPoint) -> None:
        menu = tile_menu(self.actions_by_name, self._show_shape, self)
        menu.addSeparator()
        curve = self.curve.view
        shown = self._focus()
        add_picture_actions(menu, (curve if shown is curve else self.table).pictured)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(place)

    def smooth(self) -> None:
        """Show what smoothing would do; the second time, do it."""
        cells = self.session.selection.cells
        if self.bar.offer.about == ("smooth", cells):
            self.bar.offer.leave()
            self.session.shaping.shape(Shape.SMOOTH, cells)
            return
        values = self.session.shaping.preview(Shape.SMOOTH, cells)
        if values is None or self.session.decision is None:
            # It says itself why it cannot be done.
            self.session.shaping.shape(Shape.SMOOTH, cells)
            return
        self.table.show_preview(values)
        self.bar.offer.make(
            ("smooth", cells),
            smoothing_words(self.session.decision.values, values),
            [("Smooth them", self.smooth)],
        )

    def blend(self) -> None:
        """Carry the change at both edges of the chosen cells through those between."""
        self.session.shaping.shape(Shape.BLEND, self.session.selection.cells)

    def straighten(self) -> None:
        """Put the cells between both edges on a straight line."""
        self.session.shaping.shape(Shape.STRAIGHTEN, self.session.selection.cells)

    def fill(self) -> None:
        """Take what the surface asks."""
        self.session.shaping.shape(Shape.FILL, self.session.selection.cells)

    def copy_correction(self) -> None:
        """Keep what the chosen cells are changed by."""
        self.session.shaping.copy(self.session.selection.cells)

    def lay_correction(self) -> None:
        """Lay the copied correction on the chosen cells."""
        self.session.shaping.lay(self.session.selection.cells)

    def nudge_up(self) -> None:
        """Raise the chosen cells a little."""
        self._nudge(COARSE_PCT, goes_on=False)

    def nudge_down(self) -> None:
        """Lower the chosen cells a little."""
        self._nudge(-COARSE_PCT, goes_on=False)

    def _nudge(self, pct: float, goes_on: bool) -> None:
        self.session.shaping.nudge(self.session.selection.cells, pct, goes_on)

    def _edit_axes(self, act: Act, axis: int) -> None:
        """Ask for an edit of the axes, about the row or column of the current cell."""
        current = self.session.round
        if current is None:
            return
        table = current.table
        cells = self.session.selection.cells
        cell = min(min(cells) if cells else self.table.current, table.size - 1)
        place = np.unravel_index(cell, table.shape)
        # A curve has no columns.
        axis = min(axis, len(table.axes) - 1)
        AxisSheet(self.session, self, act, axis, int(place[axis])).open()

    def insert_row(self) -> None:
        """Put a row in."""
        self._edit_axes(Act.INSERT, ROW)

    def insert_column(self) -> None:
        """Put a column in."""
        self._edit_axes(Act.INSERT, COLUMN)

    def move_row(self) -> None:
        """Move a row."""
        self._edit_axes(Act.MOVE, ROW)

    def move_column(self) -> None:
        """Move a column."""
        self._edit_axes(Act.MOVE, COLUMN)

    def remove_row(self) -> None:
        """Take a row out."""
        self._edit_axes(Act.REMOVE, ROW)

    def remove_column(self) -> None:
        """Take a column out."""
        self._edit_axes(Act.REMOVE, COLUMN)

    def history(self) -> None:
        """Show how the table came about."""
        if self.session.round is not None:
            self.past.open_at(self.table.width(), self.table.height())

    def keep_legend(self, on: bool) -> None:
        """Leave the legend on the tiles, or take it off."""
        self.legend_stays = on
        self.show_legend(on)

    def _tell_legend(self) -> None:
        """The legend has what is on the tiles; where it stays, the tiles end above it."""
        self.legend.show_view(self.table.view)
        if self.legend_stays:
            self.show_legend(True)

    def show_legend(self, on: bool) -> None:
        """Explain the marks on the tiles over their foot."""
        self.legend.lie_at_foot()
        # What stays covers no tile; what comes and goes with the pointer moves none.
        stays = self.legend_stays and on and self.legend.has_marks
        self.table.leave_foot(self.legend.height() if stays else 0)
        self.legend.setVisible(on and self.legend.has_marks)

    def paste_table(self) -> None:
        """Take the table on the clipboard: shown first as what changed since it was last known."""
        self._offer_edited(self.session.elsewhere.read_text(QGuiApplication.clipboard().text()))

    def open_edited(self) -> None:
        """The same of a file, which is asked for."""
        if self.session.round is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(self, "The edited table", "", EDITED_FILTER)
        if chosen:
            self._offer_edited(self.session.elsewhere.read_file(Path(chosen)))

    def hand_over_as(self) -> None:
        """Copy or write the table in another dress."""
        if self.session.round is not None and not self.session.rounds.is_held():
            HandOverAs(self.session, self).open()

    def _offer_edited(self, edited: Edited | None) -> None:
        if edited is None:
            return
        elsewhere = self.session.elsewhere
        ways = [("Decide these cells", partial(elsewhere.decide, edited))]
        if edited.may_begin:
            ways.append(("Begin a round on it", partial(elsewhere.begin, edited)))
        self.table.show_preview(edited.values)
        self.bar.offer.make(("edited", edited), f"{edited.said} Dashed on the tiles.", ways)

    def _offer_learned(self) -> None:
        """Show what the learned map would do; whoever asked has found that it would do something."""
        learned = self.session.learned
        offered = learned.offered
        if offered is None:
            return
        self.table.show_preview(offered.values)
        self.bar.offer.make(
            ("learned", offered), offered.said, [("Take these cells", learned.take)]
        )

    def show_truth(self, on: bool) -> None:
        """Compare with the simulated car's true airflow, or not."""
        self.header.show_truth = on
        self.header.refresh()
        self.curve.view.truth = self.curve.truth if on else lambda: None
        self.curve.view.refresh()

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """How many cells are proposed and not decided yet."""
        proposal = self.session.proposal
        decision = self.session.decision
        if proposal is None or decision is None or not self.session.is_last:
            return ""
        waiting = self.session.deciding.waiting_in()
        return f"{waiting} to decide" if waiting else ""

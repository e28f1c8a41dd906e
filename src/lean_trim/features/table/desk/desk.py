"""The table desk: figures on top, the tiles, their legend, and where the user decides."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QAction, QFocusEvent, QGuiApplication
from PySide6.QtWidgets import QVBoxLayout, QWidget

from lean_trim.features.table.desk.balance_table import BalanceTable
from lean_trim.features.table.desk.decision_bar import DecisionBar
from lean_trim.features.table.desk.history_sheet import HistorySheet
from lean_trim.features.table.desk.legend import Legend
from lean_trim.features.table.desk.reason_strip import ReasonStrip
from lean_trim.features.table.desk.table_header import TableHeader
from lean_trim.features.table.desk.tile_menu import shape_menu, tile_menu
from lean_trim.ui.session import Session
from lean_trim.ui.specs import Place
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.picture import add_picture_actions
from lean_trim.workspace.shaping import COARSE_PCT


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
        self.header = TableHeader(session, appearance)
        self.table = BalanceTable(session, appearance)
        self.legend = Legend(session, appearance, parent=self.table)
        self.bar = DecisionBar(session, appearance, actions)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.reason = ReasonStrip(session, appearance)
        for part in (self.header, self.reason, self.table, self.bar):
            layout.addWidget(part, int(part is self.table))
        self.header.figure_chosen.connect(self.table.show_figure)
        self.header.base_chosen.connect(self.table.hold_against)
        self.table.refreshed.connect(lambda: self.legend.show_view(self.table.view))
        self.table.resized.connect(self.legend.lie_at_foot)
        self.bar.marks.hovered.connect(lambda on: self.show_legend(on or self.legend_stays))
        self.bar.marks.clicked.connect(actions["legend"].trigger)
        self.table.typed.connect(self.bar.begin_typing)
        self.table.hovered.connect(self.hovered)
        self.past = HistorySheet(session, parent=self.table)
        self.past.gone.connect(self.table.setFocus)
        self.table.nudged.connect(self._nudge)
        self.table.menu_wanted.connect(self._open_menu)
        self.bar.shape.setMenu(shape_menu(actions, self._show_shape, self))
        self.bar.trying.done.connect(actions["smooth"].trigger)
        self.bar.trying.left.connect(lambda: self.table.show_preview(None))

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Whoever turns to this desk by key goes on among the tiles."""
        self.table.setFocus(event.reason())

    def _show_shape(self, shape: str) -> None:
        """Show on the tiles what a shape would do; "" shows what stands."""
        shaping = self.session.shaping
        cells = self.session.selection.cells
        self.table.show_preview(shaping.preview(shape, cells) if shape else None)

    def _open_menu(self, place: QPoint) -> None:
        menu = tile_menu(self.actions_by_name, self._show_shape, self)
        menu.addSeparator()
        add_picture_actions(menu, self.table.pictured)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(place)

    def smooth(self) -> None:
        """Show what smoothing would do; the second time, do it."""
        cells = self.session.selection.cells
        if self.bar.trying.tries == cells and cells:
            self.bar.trying.leave()
            self.session.shaping.smooth(cells)
            return
        values = self.session.shaping.preview("smooth", cells)
        if values is None or self.session.decision is None:
            # It says itself why it cannot be done.
            self.session.shaping.smooth(cells)
            return
        self.table.show_preview(values)
        self.bar.trying.show_change(cells, self.session.decision.values, values)

    def blend(self) -> None:
        """Carry the change at both edges of the chosen cells through those between."""
        self.session.shaping.blend(self.session.selection.cells)

    def straighten(self) -> None:
        """Put the cells between both edges on a straight line."""
        self.session.shaping.straighten(self.session.selection.cells)

    def fill(self) -> None:
        """Take what the surface asks."""
        self.session.shaping.fill(self.session.selection.cells)

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

    def history(self) -> None:
        """Show how the table came about."""
        if self.session.round is not None:
            self.past.open_at(self.table.width(), self.table.height())

    def keep_legend(self, on: bool) -> None:
        """Leave the legend on the tiles, or take it off."""
        self.legend_stays = on
        self.show_legend(on)

    def show_legend(self, on: bool) -> None:
        """Explain the marks on the tiles over their foot."""
        self.legend.lie_at_foot()
        self.legend.setVisible(on and self.legend.has_marks)

    def paste_table(self) -> None:
        """Put the table on the clipboard over this one; what differs is decided by hand."""
        self.session.deciding.paste(QGuiApplication.clipboard().text())

    def show_truth(self, on: bool) -> None:
        """Compare with the simulated car's true airflow, or not."""
        self.header.show_truth = on
        self.header.refresh()

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

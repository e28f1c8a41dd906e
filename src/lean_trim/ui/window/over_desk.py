"""What stands in place of the desk: a question about a log, or what the desk is for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.window.ask_sheet import AskSheet
from lean_trim.ui.window.desk_area import DeskArea
from lean_trim.ui.window.help_sheet import HelpSheet
from lean_trim.ui.window.import_sheet import ImportSheet
from lean_trim.ui.window.margin import Margin
from lean_trim.ui.window.place_sheet import PlaceSheet


class OverDesk:
    """A question goes before help, and the desk comes back when there is neither.

    Parameters
    ----------
    desks, margin : what is covered.
    session, appearance : of the window.
    choose_dbc : asks for a DBC.
    keys : every command's key and what it does.
    parent : the window. The sheets are its children from the start, or they would outlive it where
        nothing is ever asked.
    """

    def __init__(
        self,
        desks: DeskArea,
        margin: Margin,
        session: Session,
        appearance: Appearance,
        choose_dbc: Callable[[], Path | None],
        keys: Callable[[], tuple[tuple[str, str], ...]],
        parent: QWidget,
    ) -> None:
        self.desks = desks
        self.margin = margin
        self.session = session
        self.keys = keys
        self.import_sheet = ImportSheet(session, appearance, parent)
        self.place_sheet = PlaceSheet(session, appearance, parent)
        self.ask_sheet = AskSheet(session, appearance, choose_dbc, parent)
        self.help = HelpSheet(parent)
        self.helps = False
        for sheet in (self.import_sheet, self.place_sheet, self.ask_sheet, self.help):
            sheet.hide()
        self.help.left.connect(self.toggle_help)
        session.imports_changed.connect(self.refresh)

    def toggle_help(self) -> None:
        """Say in place of the desk what it is for, or show it again."""
        if self.session.job is None:
            return
        self.helps = not self.helps
        self.help.show_help(self.desks.shown, self.keys())
        self.refresh()
        if self.helps and self._question() is None:
            self.help.setFocus(Qt.FocusReason.OtherFocusReason)

    def leave_help(self) -> None:
        """Another desk is wanted, not what it is for."""
        self.helps = False
        self.refresh()

    def refresh(self) -> None:
        """Cover the desk, or do not."""
        over = self._question()
        if over is None and self.helps:
            over = self.help
        self.desks.show_over(over)
        self.margin.setVisible(over is None and bool(self.desks.shown.pages))

    def _question(self) -> QWidget | None:
        imports = self.session.imports
        # A file that cannot even be read comes before all others; then columns, for what a log
        # says of its table is only known once they are settled.
        if imports.questions:
            return self.ask_sheet
        if imports.current:
            return self.import_sheet
        return self.place_sheet if imports.unplaced else None

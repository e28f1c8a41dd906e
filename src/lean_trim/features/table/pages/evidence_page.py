"""Everything about the chosen cells.

What they hold, what the drive needs, and which visits say so.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from lean_trim.core.decision.proposal import STATUS_TEXT, STATUS_WORD, Status
from lean_trim.core.explore.adding_up import (
    AddingUp,
    Visit,
    Weighing,
    add_up,
    visits_of_cells,
    weighing_of,
)
from lean_trim.core.explore.scorecard import Score, scorecard
from lean_trim.core.explore.visit_states import NO_VISITS, Over, visit_states
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.text import clock, decimals_of, evenly_written, fixed, signed
from lean_trim.features.table.pages.cell_note import CellNote
from lean_trim.features.table.pages.evidence_words import (
    SCORE_TIP,
    SHORT_S,
    VISIT_TIP,
    adding,
    apart_words,
    scores_markup,
    time_spent,
    visits_heading,
    without_words,
)
from lean_trim.features.table.pages.visit_scatter import VisitScatter, visit_words
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.fitting_list import fit_to_lines
from lean_trim.ui.widgets.label import escaped, plain_tip
from lean_trim.ui.widgets.page import running_markup, running_text
from lean_trim.workspace.changes import TriedWithout

FIGURE_SPACE = "\u2007"
NARROW_SPACE = "\u202f"
INDENT = "\u00a0\u00a0\u00a0"
"""Before what is added up, which stands above its sum."""


class EvidencePage(QWidget):
    """Shows the selection; a click on a visit asks for that time on the tape."""

    look = Signal(float, float)

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self._states = NO_VISITS
        self._listed_of: object = None
        self._scored: tuple[object, tuple[Score, ...]] | None = None
        self._of: tuple[Solution, Weighing, AddingUp] | None = None
        self.heading = running_text(11, bold=True)
        self.note = CellNote(session, self)
        self.body = running_markup(9.5)
        self.spent = running_markup(9.5)
        self.visits_head = running_text(9, bold=True)
        self.visits = QListWidget(self)
        self.visits.setAccessibleName("Visits to the chosen cells")
        self.visits.setFont(font(9))
        self.scatter = VisitScatter(appearance)
        self.over = ChoiceButton(self._overs, parent=self)
        self.over.setAccessibleName("What the visits are laid out over")
        self.over.chosen.connect(self._lay_over)
        self.over_what = Over.TIME
        self.apart = running_text(9)
        self.without = running_text(9)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 10, 10, 6)
        layout.setSpacing(5)
        for widget, stretch in (
            (self.heading, 0),
            (self.body, 0),
            (self.note, 0),
            (self.visits_head, 0),
            (self.visits, 3),
            (self.over, 0),
            (self.scatter, 2),
            (self.apart, 0),
            (self.without, 0),
            (self.spent, 0),
        ):
            layout.addWidget(widget, stretch)
        layout.addStretch(0)
        self.scatter.chosen.connect(lambda place: self._choose(self._states.visits[place]))
        session.told(TriedWithout).connect(self._show_without)
        self.visits.itemClicked.connect(self._clicked)
        self.visits.itemActivated.connect(self._clicked)
        session.selection.changed.connect(self.show_selection)
        for signal in (session.round_changed, session.solved, session.decided):
            signal.connect(self.refresh)
        appearance.changed.connect(self._anew)

    def refresh(self) -> None:
        """Show the selection again."""
        self.show_selection()

    def show_selection(self) -> None:
        """Describe the chosen cells."""
        cells = sorted(self.session.selection.cells)
        self.note.show_cells(frozenset(cells) if self.session.round is not None else frozenset())
        self.spent.setText("")
        solution = self.session.solution
        # What is decided changes no visit, and a nudge is to be seen at once.
        listed_of = (solution, tuple(cells)) if self.session.round is not None else None
        if listed_of != self._listed_of:
            self.visits.clear()
        if self.session.round is None or not cells:
            self._listed_of = None
            self.visits.clear()
        if self.session.round is None:
            self.heading.setText("")
            self.body.setText("")
            self._show_visits("", False)
            return
        if not cells:
            self._nothing_chosen()
            return
        self.heading.setText(self._place(cells))
        self.body.setText(self._facts(cells))
        if listed_of != self._listed_of:
            self._listed_of = listed_of
            self._list_visits(solution, cells)
        self._show_states()
        self._mark_visit()

    def _list_visits(self, solution: Solution | None, cells: list[int]) -> None:
        """The visits behind the chosen cells, a line each, and the state of the engine in them."""
        visits = (
            visits_of_cells(solution, cells, self._sums(solution)[0])
            if solution is not None
            else []
        )
        listed = [v for v in visits if v.seconds >= SHORT_S]
        self._show_visits(visits_heading(visits, listed, solution is not None), bool(listed))
        self._states = NO_VISITS
        if solution is not None and listed:
            motion = solution.prepared.conditions.motion
            self._states = visit_states(solution.frame, motion.gears, listed)
        for place, visit in enumerate(listed):
            # Spaces as wide as figures: columns stand in line without a table.
            asked = signed(100 * (visit.k - 1))
            columns = f"{clock(visit.start_s):>7}  {visit.seconds:6.1f}|s  {asked:>6}|%"
            text = columns.replace(" ", FIGURE_SPACE).replace("|", NARROW_SPACE)
            item = self._add(self.visits, text, (visit.start_s, visit.end_s))
            words = visit_words(self._states, place)
            item.setToolTip(plain_tip(f"{words}\n{VISIT_TIP}"))
        fit_to_lines(self.visits)

    def _mark_visit(self) -> None:
        """The visit that is chosen on the tape is the current line."""
        span = self.session.selection.span
        for place, visit in enumerate(self._states.visits):
            if span == (visit.start_s, visit.end_s):
                self.visits.setCurrentItem(self.visits.item(place))
                return
        self.visits.setCurrentRow(-1)

    def _anew(self) -> None:
        """Other units or another theme: every line is written again."""
        self._listed_of = None
        self.refresh()

    def _show_states(self) -> None:
        """Visits over the state of the engine, and which of them stand apart."""
        if self.over_what not in self._states.known:
            self.over_what = Over.TIME
        several = len(self._states.visits) > 1
        for widget in (self.over, self.scatter):
            widget.setVisible(several)
        self.over.show_choice(f"Asked, over {self.over_what.value}", self.over_what)
        self.scatter.show_states(self._states, self.over_what, self.session.selection.span)
        self.apart.setText(apart_words(self._states))
        self.apart.setVisible(bool(self.apart.text()))
        self._show_without()

    def _overs(self) -> list[Entry]:
        return [Entry(f"Asked, over {kind.value}", kind) for kind in self._states.known]

    def _lay_over(self, kind: object) -> None:
        self.over_what = Over(str(kind))
        self.show_selection()

    def _show_without(self) -> None:
        """What changes without the chosen visit, once that is worked out."""
        found = self.session.without.found
        solution = self.session.solution
        text = ""
        if found is not None and solution is not None and found.span == self.session.selection.span:
            cells = sorted(self.session.selection.cells)
            text = without_words(found, solution.estimate, cells)
        self.without.setText(text)
        self.without.setVisible(bool(text))

    def _sums(self, solution: Solution) -> tuple[Weighing, AddingUp]:
        """How the solution weighs its samples and what that adds up to; worked out once a solution."""
        if self._of is None or self._of[0] is not solution:
            weighing = weighing_of(solution)
            self._of = solution, weighing, add_up(solution, weighing)
        return self._of[1], self._of[2]

    def _nothing_chosen(self) -> None:
        span = self.session.selection.span
        self.heading.setText("No cell chosen" if span is None else "Nothing used here")
        text = (
            "Click or drag over tiles, or drag along the tape, to see which seconds stand behind "
            "which cells."
        )
        if span is not None:
            text = (
                f"Between {clock(span[0])} and {clock(span[1])} min no sample was used. "
                "Point at the tape to read why."
            )
        self.body.setText(text)
        self.spent.setText(self._scores() + self._time_spent())
        self.spent.setToolTip(plain_tip(SCORE_TIP))
        self._show_visits("", False)

    def _scores(self) -> str:
        """How the drive stands by region."""
        solution = self.session.solution
        if solution is None or not solution.seen.done:
            return ""
        words = self.session.policy.regions
        key = (solution, words)
        if self._scored is None or self._scored[0] != key:
            self._scored = (key, scorecard(solution, words, self.session.solver.tip_in))
        return scores_markup(self._scored[1], self.appearance.theme.faint)

    def _time_spent(self) -> str:
        """Where the minutes of the log went: used, and left out by reason (a sample can have several)."""
        sifted = self.session.sifted
        if sifted is None:
            return ""
        rows = time_spent(sifted)
        faint = self.appearance.theme.faint
        lines = "".join(
            f"<tr><td style='color:{faint}; padding-right:12px'>{escaped(k)}</td>"
            f"<td align='right'>{v:.0f} s</td></tr>"
            for k, v in rows
        )
        note = (
            f"<p style='margin-top:2px; color:{faint}'>A second may be left out for several "
            "reasons, so these add up to more than the log.</p>"
            if len(rows) > 2
            else ""
        )
        return (
            "<p style='margin-bottom:2px'><span style='font-weight:600'>Where the time "
            f"went</span></p><table cellspacing='1'>{lines}</table>{note}"
        )

    def _show_visits(self, heading: str, listed: bool) -> None:
        if not listed:
            for widget in (self.over, self.scatter, self.apart, self.without):
                widget.hide()
        self.visits_head.setText(heading)
        self.visits_head.setVisible(bool(heading))
        self.visits.setVisible(listed)

    def _place(self, cells: list[int]) -> str:
        assert self.session.round is not None
        table = self.session.round.table
        if len(cells) == 1:
            place = np.unravel_index(cells[0], table.shape)
            texts = (
                evenly_written(a.shown.tolist())[i] for a, i in zip(table.axes, place, strict=True)
            )
            return "  ·  ".join(
                f"{x} {a.shown_unit}" for x, a in zip(texts, table.axes, strict=True)
            )
        return f"{len(cells)} cells chosen"

    def _facts(self, cells: list[int]) -> str:
        current = self.session.round
        decision = self.session.decision
        proposal = self.session.proposal
        assert current is not None and decision is not None
        # As the ECU counts them.
        values = current.table.shown.ravel()[cells]
        decided = current.table.own_of(decision.values).ravel()[cells]
        unit = current.table.shown_unit
        vehicle = self.session.vehicle
        decimals = decimals_of(vehicle.limits.resolution) if vehicle is not None else 1
        rows = [("Driven on", _span(values, unit, decimals))]
        if not np.array_equal(values, decided):
            rows.append(("Decided", _span(decided, unit, decimals)))
        solution = self.session.solution
        status = ""
        if solution is not None and proposal is not None:
            rows += self._asked_rows(solution, cells)
            rows.append(("Proposed step", _percent(proposal.step_pct.ravel()[cells])))
            kinds = [Status(s) for s in proposal.status.ravel()[cells]]
            status = STATUS_TEXT[kinds[0]] if len(set(kinds)) == 1 else _count_kinds(kinds)
        faint = self.appearance.theme.faint
        lines = "".join(
            f"<tr><td style='color:{faint}; padding-right:12px'>{escaped(k)}</td>"
            f"<td align='right'>{escaped(v)}</td></tr>"
            for k, v in rows
        )
        return (
            f"<table cellspacing='1'>{lines}</table><p style='margin:4px 0 0 "
            f"0'>{escaped(status[:1].upper() + status[1:])}</p>"
        )

    def _asked_rows(self, solution: Solution, cells: list[int]) -> list[tuple[str, str]]:
        """What the cells ask, line by line, so that it adds up; of several the mean."""
        sums = self._sums(solution)[1]
        rows = [("Used driving", f"{sums.seconds[cells].sum():.1f} s")]
        parts = sums.parts(cells)
        if not parts:
            return rows
        seen = [c for c, own in zip(cells, sums.has_own(cells), strict=True) if own] or cells
        asked = float(np.nanmean(sums.asked[seen]))
        error = float(np.nanmean(solution.estimate.own_error_pct.ravel()[seen]))
        if len(parts) > 1:
            # Rounded so that the lines shown add up to the sum shown.
            lines = zip(parts, adding(parts), strict=True)
            rows += [(f"{INDENT}{p.what}", f"{text} %") for p, text in lines]
        mean = "Asked" if len(cells) == 1 else "Asked, mean"
        only = "" if len(parts) > 1 else ", " + str(parts[0].what).lower()
        return [*rows, (f"{mean}{only}", f"{signed(asked)} ± {error:.1f} %")]

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Lines break elsewhere at another width."""
        super().resizeEvent(event)
        fit_to_lines(self.visits)

    def _add(self, where: QListWidget, text: str, span: tuple[float, float]) -> QListWidgetItem:
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, span)
        where.addItem(item)
        return item

    def _clicked(self, item: QListWidgetItem) -> None:
        start, end = item.data(Qt.ItemDataRole.UserRole)
        self._look_at(start, end)

    def _choose(self, visit: Visit) -> None:
        self._look_at(visit.start_s, visit.end_s)

    def _look_at(self, start: float, end: float) -> None:
        # Chosen, so that it can be left out like any stretch.
        self.session.selection.set_visit(start, end)
        self.session.without.try_span(start, end)
        # With what led to it and what followed, or the visit cannot be judged.
        margin = max(3.0, 0.5 * (end - start))
        self.look.emit(start - margin, end + margin)


def _span(values: np.ndarray, unit: str, decimals: int) -> str:
    low = fixed(float(values.min()), decimals)
    high = fixed(float(values.max()), decimals)
    return f"{low} {unit}" if low == high else f"{low} to {high} {unit}"


def _percent(values: np.ndarray) -> str:
    low = float(values.min())
    high = float(values.max())
    return f"{signed(low)} %" if abs(high - low) < 0.05 else f"{signed(low)} to {signed(high)} %"


def _count_kinds(kinds: list[Status]) -> str:
    return ", ".join(f"{kinds.count(k)} {STATUS_WORD[k]}" for k in Status if k in kinds)

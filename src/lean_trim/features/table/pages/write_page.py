"""How much of the estimate is written at once.

Shares by regime, limits, and what happens where nobody drove.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QPushButton, QWidget

from lean_trim.core.data.channels import Role
from lean_trim.core.decision.proposal import POLICY_KNOBS, STATUS_TEXT, Status
from lean_trim.core.decision.shortfall import ONE_SIDED_ID, shortfalls
from lean_trim.core.decision.unvisited import UNVISITED
from lean_trim.features.table.pages.scale_panel import ScalePanel
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.fold import Fold
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.knob_table import KnobLine, KnobTable
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import fill_page, running_text, scrolling_column
from lean_trim.ui.widgets.wheel_safe import ComboBox

CHOICES = {
    "filled": "Cells not driven: filled where richer",
    "keep": "Cells not driven keep their value",
    "carry": "Carry enrichment into them",
    "taper": "Carry it, halved with every cell",
    "sure": "Filled, and leaner where sure",
}
CHOICES_TIP = (
    "Filled: what the surface through the driven cells says where that adds fuel, else the old "
    "value. Carried: the enrichment of the nearest driven cell. Sure: as filled, and between "
    "driven cells below atmospheric also leaner, by what two standard errors leave. None leans "
    "where nothing was driven around."
)


KNOBS = {knob.name: knob for knob in POLICY_KNOBS}
HEADS = ("share", "most +", "most −")
BOOST = "Boost"
LINES = (
    KnobLine(
        "All",
        "Of every cell, before what its region says",
        (KNOBS["gain"], KNOBS["add_limit_pct"], KNOBS["remove_limit_pct"]),
    ),
    KnobLine("Idle", "What was driven at idle", (KNOBS["gain_idle"], None, None)),
    KnobLine(
        "Part throttle",
        "What was driven neither at idle nor at full throttle",
        (KNOBS["gain_part"], None, None),
    ),
    KnobLine(
        "Full throttle",
        "What was driven at full throttle up to atmospheric pressure",
        (KNOBS["gain_full"], None, None),
    ),
    KnobLine(
        BOOST,
        "Cells above the pressure from which boost counts",
        (KNOBS["gain_boost"], None, KNOBS["boost_remove_limit_pct"]),
    ),
    KnobLine(
        "Not driven",
        "Cells that are filled by what stands around them",
        (None, KNOBS["fill_limit_pct"], None),
    ),
)
"""The regions, with their share of a correction and its limits."""


class WritePage(QWidget):
    """Every number works while it is dragged; the proposal follows at once."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.caution = running_text(
            8.5,
            "Part of a large correction first, most of all at full throttle: a swing lands on the "
            "other side unnoticed. "
            "Rich is the safe side.",
        )
        self.table = KnobTable(HEADS, LINES, partial(session.tuning.turn, "policy"))
        beside = [k for k in POLICY_KNOBS if k.name not in self.table.cells]
        self.rows = {
            k.name: KnobRow(k, partial(session.tuning.turn, "policy", k.name)) for k in beside
        }
        self._make_choices()
        self.counts = running_text(8.5)
        self.reset = QPushButton("All settings back to default")
        self.reset.setToolTip("Sieve, estimate, logs and writing; can be undone")
        self.reset.clicked.connect(session.tuning.reset)
        self.scale = ScalePanel(session, appearance)
        self.scale_fold = Fold("Scale of the table", lambda: (self.scale,))
        self.scale_fold.fill()
        self._lay_out()
        for signal in (
            session.round_changed,
            session.solved,
            session.decided,
            session.tuning_changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def _make_choices(self) -> None:
        """What is chosen or ticked, beside the numbers."""
        tuning = self.session.tuning
        self.unvisited = ComboBox()
        self.unvisited.addItems([CHOICES[policy] for policy in UNVISITED])
        self.unvisited.setFont(font(9))
        self.unvisited.setAccessibleName("Cells not driven")
        self.unvisited.setToolTip(plain_tip(CHOICES_TIP))
        self.unvisited.activated.connect(lambda i: tuning.choose_unvisited(UNVISITED[i]))
        self.end = QCheckBox("Carry the curve's last segment on")
        self.end.setFont(font(9))
        self.end.setToolTip(
            plain_tip(
                "Marked as extrapolated, never below the old value, never where the sensor met its end"
            )
        )
        self.end.toggled.connect(tuning.extrapolate_end)
        self.sound = QCheckBox("The fuel supply is sound")
        self.sound.setFont(font(9))
        self.sound.setToolTip(
            plain_tip(
                "Fuel pressure was not logged. Only where it was measured otherwise, at full throttle: "
                "the whole need of the highest flows is then written"
            )
        )
        self.sound.toggled.connect(tuning.supply_sound)

    def _lay_out(self) -> None:
        widgets = (
            self.caution,
            self.table,
            *self.rows.values(),
            self.unvisited,
            self.end,
            self.sound,
            self.counts,
            self.scale_fold,
            self.reset,
        )
        fill_page(self, scrolling_column(widgets))

    def refresh(self) -> None:
        """Stand as the settings say; count what each rule of the policy decided."""
        policy = self.session.policy
        vehicle = self.session.vehicle
        for name, row in self.rows.items():
            row.show_value(getattr(policy, name))
        for name, cell in self.table.cells.items():
            cell.show_value(getattr(policy, name))
        self.unvisited.setCurrentIndex(UNVISITED.index(policy.unvisited))
        curve = vehicle is not None and vehicle.airflow == "maf"
        if self.scale.refresh():
            self.scale_fold.unfold(True)
        self.end.setVisible(curve)
        with QSignalBlocker(self.end):
            self.end.setChecked(policy.extrapolate_end)
        solution = self.session.solution
        unlogged = solution is not None and Role.FUEL_DP not in solution.frame.log
        self.sound.setVisible(unlogged and not curve)
        with QSignalBlocker(self.sound):
            self.sound.setChecked(policy.supply_sound)
        self.table.show_line(BOOST, not curve)
        self.rows["atmospheric_kpa"].setVisible(not curve)
        proposal = self.session.proposal
        if proposal is None:
            self.counts.setText("")
            return
        kinds = proposal.status.ravel().tolist()
        lines = [f"{kinds.count(s)} cells {STATUS_TEXT[s]}." for s in Status if kinds.count(s)]
        if solution is not None:
            # Not in the head of the table: it is for the next table's axes, and long.
            left = shortfalls(solution.estimate, proposal, solution.frame.vehicle.induction)
            lines += [str(f.message) for f in left if f.id == ONE_SIDED_ID]
        self.counts.setText("\n".join(lines))

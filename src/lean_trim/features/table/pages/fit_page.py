"""How the estimate is made.

Which method with which numbers, the sensor delay with the picture that shows whether it holds, and
what is so of a lambda gauge that the loop beside it contradicts.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QWidget

from lean_trim.core.diagnosis.of_fit import gauge_off
from lean_trim.core.drive.gauge import GaugeWord
from lean_trim.core.drive.nuisance_terms import COLD_BELOW_C, Term
from lean_trim.core.estimation.averages import AVERAGE_KNOBS
from lean_trim.core.estimation.surface import SURFACE_KNOBS
from lean_trim.core.explore.alignment import Alignment, Kind, align_moments
from lean_trim.core.pipeline.factors import driven_factor
from lean_trim.core.pipeline.solve import Solution
from lean_trim.features.table.pages.alignment_plot import AlignmentPlot
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import fill_page, heading, running_text, scrolling_column
from lean_trim.ui.widgets.wheel_safe import ComboBox

METHODS = ("One surface through all samples", "Cell averages")
METHOD_TIP = (
    "The surface weighs every sample by what is known of it and gives each cell an error; "
    "averages take the samples near each cell, as practitioners do by hand."
)


GAUGE_CHOICES: Mapping[GaugeWord, str] = {
    "unsaid": "Not said: each place gets the richer",
    "off": "The gauge is off",
    "right": "The gauge is right, the loop is off",
}
GAUGE_UNSEEN = "No loop beside it says anything of the gauge in these logs."
GAUGE_TIP = (
    "Off: its error is taken off everywhere, beyond the loop too, which leans where it reads lean; "
    "only "
    "after it was compared with another, and no leak or dead cylinder is ahead of it. "
    "Right: its readings stand, and the loop's own sensor holds another mixture than 1."
)


class FitPage(QWidget):
    """The picture is worked out when the page is looked at, from the present solution."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self._of: tuple[Solution, Alignment | None] | None = None
        self.method = _combo(METHODS, "Method of estimating")
        self.method.setToolTip(plain_tip(METHOD_TIP))
        self.method.activated.connect(lambda i: session.tuning.use_method(i == 1))
        turn = session.tuning.turn
        self.surface = {k.name: KnobRow(k, partial(turn, "surface", k.name)) for k in SURFACE_KNOBS}
        self.averages = {
            k.name: KnobRow(k, partial(turn, "averages", k.name)) for k in AVERAGE_KNOBS
        }
        self.fit = QCheckBox("Read the delay from the log", self)
        self.fit.setFont(font(9))
        self.fit.toggled.connect(session.tuning.fit_delay)
        self.gauge_facts = running_text(8.5)
        self.gauge = _combo(tuple(GAUGE_CHOICES.values()), "What is so of the lambda gauge")
        self.gauge.setToolTip(plain_tip(GAUGE_TIP))
        self.gauge.activated.connect(lambda i: session.tuning.say_of_gauge(tuple(GAUGE_CHOICES)[i]))
        self.of_gauge = (heading("Lambda gauge"), self.gauge_facts, self.gauge)
        self.kind = _combo(tuple(Kind), "Which changes to show")
        self.kind.activated.connect(lambda _: self._show_picture())
        self.facts = running_text(8.5)
        self.plot = AlignmentPlot(appearance)
        self._lay_out()
        for signal in (session.round_changed, session.solved, session.tuning_changed):
            signal.connect(self.refresh)
        session.work_changed.connect(self._say_work)
        self.refresh()

    def _lay_out(self) -> None:
        widgets = (
            *self.of_gauge,
            heading("Sensor delay"),
            self.fit,
            self.facts,
            self.kind,
            self.plot,
            heading("Method"),
            self.method,
            *self.surface.values(),
            *self.averages.values(),
        )
        fill_page(self, scrolling_column(widgets))

    def showEvent(self, event: object) -> None:
        """Work the picture out now that it is looked at."""
        super().showEvent(event)  # type: ignore[arg-type]
        self._show_picture()

    def _say_work(self) -> None:
        if self.session.solution is None and self.isVisible():
            self.plot.show_alignment(None, Kind.BACK, self.session.work.state.said)

    def refresh(self) -> None:
        """Stand as the settings say."""
        settings = self.session.settings
        average = settings.method == "average"
        self.method.setCurrentIndex(int(average))
        for rows, part, on in (
            (self.surface, settings.surface, not average),
            (self.averages, settings.averages, average),
        ):
            for name, row in rows.items():
                row.show_value(getattr(part, name))
                row.setVisible(on)
        with QSignalBlocker(self.fit):
            self.fit.setChecked(settings.fit_delay)
        self.fit.setEnabled(not average)
        self._show_gauge()
        self.facts.setText(delay_facts(self.session.solution))
        if self.isVisible():
            self._show_picture()

    def _show_gauge(self) -> None:
        """What is asked of the gauge, where a loop beside it says that it is off, or it was answered."""
        solution = self.session.solution
        found = None if solution is None else gauge_off(solution.frame.gauge)
        word = self.session.settings.gauge
        for widget in self.of_gauge:
            widget.setVisible(found is not None or word != "unsaid")
        self.gauge_facts.setText(GAUGE_UNSEEN if found is None else f"{found.said} {found.effect}")
        self.gauge.setCurrentIndex(list(GAUGE_CHOICES).index(word))

    def _show_picture(self) -> None:
        solution = self.session.solution
        if solution is None:
            # What the rail says: the log has not been asked yet whether it tells a delay.
            self.plot.show_alignment(None, Kind.BACK, self.session.work.state.said)
            return
        if self._of is None or self._of[0].delay is not solution.delay:
            k = driven_factor(solution.frame, solution.estimate)
            self._of = solution, align_moments(solution.frame, solution.delay, k, solution.film)
        alignment = self._of[1]
        for i, kind in enumerate(Kind):
            count = int(alignment.of(kind).sum()) if alignment is not None else 0
            self.kind.setItemText(i, f"{count} × {kind}")
        self.plot.show_alignment(alignment, list(Kind)[self.kind.currentIndex()])


def delay_facts(solution: Solution | None) -> str:
    """The delay in words: its parts with standard errors, and what it comes to."""
    if solution is None:
        return "Once a log is in, the delay is read from its fuel cuts, enrichments and trim steps."
    delay = solution.delay
    settings = solution.delay.settings
    volume = settings.exhaust_volume_l or solution.frame.vehicle.exhaust_volume_l
    if not delay.estimated:
        note = delay.note or "set by hand"
        return (
            f"As assumed ({note}): {settings.cycles:.1f} engine cycles, {volume:.1f} L of "
            f"exhaust, sensor {1000 * settings.sensor_s:.0f} ms.{film_fact(solution)}"
        )
    return (
        f"From {delay.moments} quick changes: {settings.cycles:.2f} ± {delay.cycles_se:.2f} "
        f"engine cycles, {volume:.1f} ± {delay.volume_se_l:.1f} L of exhaust, sensor "
        f"{1000 * settings.sensor_s:.0f} ± {1000 * delay.sensor_se_s:.0f} ms. Their sum is known "
        f"better: ± {1000 * delay.total_se_s:.0f} ms at medium flow.{film_fact(solution)}"
    )


def film_fact(solution: Solution) -> str:
    """Says that a wall film was allowed for. What it is has one place, the Transients desk.

    The fit of the table takes the film out with one share and one time constant; the desk reads how
    both change with load, engine speed and sensor, so the two are not the same figure.
    """
    if not 0.0 < solution.estimate.wall_x < 1.0:
        return cold_fact(solution)
    return (
        " Fuel that stays on the walls for a while was allowed for; how much, and for how long, "
        f"stands on the Transients desk.{cold_fact(solution)}"
    )


def cold_fact(solution: Solution) -> str:
    """What warm-up costs beside the enrichment that is known, if cold running was used."""
    cold = solution.estimate.of(Term.COLD)
    if cold is None:
        return ""
    return (
        f" Cold: {100 * cold.value:+.2f} ± {100 * cold.std_error:.2f} % of k per kelvin below "
        f"{COLD_BELOW_C:.0f} °C, fuel that does not burn and charge heat together; it is not in "
        "the table."
    )


def _combo(items: tuple[str, ...], name: str) -> ComboBox:
    combo = ComboBox()
    combo.addItems(items)
    combo.setFont(font(9))
    combo.setAccessibleName(name)
    return combo

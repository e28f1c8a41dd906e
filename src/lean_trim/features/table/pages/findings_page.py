"""What the log shows that is not airflow: how sure that is, what it does and what to do next."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QGuiApplication, QResizeEvent
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QVBoxLayout, QWidget

from lean_trim.core.diagnosis.finding import SAMPLES_WORDS, Finding
from lean_trim.core.diagnosis.findings import evidence_of
from lean_trim.core.diagnosis.odds import PRIOR
from lean_trim.core.explore.linking import cells_of_samples
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Mask
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.fitting_list import fit_to_lines
from lean_trim.ui.widgets.label import escaped
from lean_trim.ui.widgets.page import running_markup, running_text

ID_ROLE = Qt.ItemDataRole.UserRole + 1
"""Where an entry keeps the id of its finding."""
RANK = {"danger": "Danger", "warning": "Caution", "note": "Note"}
LEAD_S = 4.0
"""Shown on the tape before and after a finding."""
CERTAIN = 0.9995


class FindingsPage(QWidget):
    """Findings on top, what is to be said of the chosen one below; choosing one lights its seconds."""

    look = Signal(float, float)

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.heading = running_text(11, bold=True)
        self.findings = QListWidget(self)
        self.findings.setAccessibleName("Findings in this log")
        self.findings.setWordWrap(True)
        self.findings.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.findings.setFont(font(9))
        self.detail = running_markup(9)
        self.detail.setAccessibleName("About the chosen finding")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 10, 10, 6)
        layout.setSpacing(6)
        layout.addWidget(self.heading)
        layout.addWidget(self.findings, 1)
        layout.addWidget(self.detail)
        layout.addStretch(0)
        self.findings.itemClicked.connect(self._clicked)
        self.findings.itemActivated.connect(self._clicked)
        self.findings.currentRowChanged.connect(self._describe)
        self.findings.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.findings.customContextMenuRequested.connect(self._popup)
        for signal in (session.round_changed, session.solved):
            signal.connect(self.refresh)
        appearance.changed.connect(self.refresh)
        # Turned to for the first time when the log has long been solved.
        self.refresh()

    def refresh(self) -> None:
        """Show the findings of the round again, the first of them chosen."""
        kept = self._chosen_id()
        self.findings.clear()
        solution = self.session.solution
        found = solution.findings if solution is not None else ()
        if solution is None:
            self.heading.setText("Findings appear once a log is in")
        else:
            self.heading.setText(
                f"Findings: {len(found)}" if found else "No fault seen in this log"
            )
        self.findings.setVisible(bool(found))
        for finding in found:
            self._add(finding)
        ids = [f.id for f in found]
        self.findings.setCurrentRow(ids.index(kept) if kept in ids else 0)
        self._describe(self.findings.currentRow())
        fit_to_lines(self.findings)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Lines break elsewhere at another width."""
        super().resizeEvent(event)
        fit_to_lines(self.findings)

    def _add(self, finding: Finding) -> None:
        item = QListWidgetItem(f"{RANK[finding.severity]}{_sureness(finding)}: {finding.said}")
        span = (finding.first_time_s - LEAD_S, finding.first_time_s + finding.seconds + LEAD_S)
        item.setData(Qt.ItemDataRole.UserRole, span)
        item.setData(ID_ROLE, finding.id)
        item.setToolTip("Show on the tape")
        ink = "danger" if finding.severity == "danger" else "ink"
        item.setForeground(self.appearance.theme.color(ink))
        self.findings.addItem(item)

    def _chosen_id(self) -> str:
        item = self.findings.currentItem()
        return "" if item is None else str(item.data(ID_ROLE))

    def _describe(self, row: int) -> None:
        solution = self.session.solution
        found = solution.findings if solution is not None else ()
        self.detail.setVisible(0 <= row < len(found))
        if not 0 <= row < len(found):
            return
        finding = found[row]
        parts = [
            ("What it does", finding.effect),
            ("Or else", finding.group),
            ("Do next", finding.next_step),
            ("Samples", SAMPLES_WORDS[finding.samples].capitalize() + "."),
            ("How sure", _how_sure(finding)),
        ]
        faint = self.appearance.theme.faint
        self.detail.setText(
            "".join(
                f"<p style='margin:0 0 4px 0'><span style='color:{faint}'>{head}:</span> "
                f"{escaped(words)}</p>"
                for head, words in parts
                if words is not None
            )
        )

    def _clicked(self, item: QListWidgetItem) -> None:
        start, end = item.data(Qt.ItemDataRole.UserRole)
        self._light(str(item.data(ID_ROLE)))
        # With what led to it and what followed, or it cannot be judged.
        margin = max(3.0, 0.5 * (end - start))
        self.look.emit(start - margin, end + margin)

    def menu(self) -> QMenu:
        """What is done with the chosen finding."""
        menu = QMenu(self)
        item = self.findings.currentItem()
        solution = self.session.solution
        if item is None or solution is None:
            return menu
        menu.addAction("Show on the tape").triggered.connect(lambda: self._clicked(item))
        cells = self._fed()
        said = cells_in_words(len(cells)) if cells else "none: no second of it was used"
        choose = menu.addAction(f"Choose the cells its seconds fed ({said})")
        choose.setEnabled(bool(cells))
        choose.triggered.connect(lambda: self.session.selection.set_cells(cells))
        finding = solution.findings[self.findings.currentRow()]
        menu.addAction("Copy what is said").triggered.connect(
            lambda: QGuiApplication.clipboard().setText(finding.message)
        )
        return menu

    def _popup(self, place: QPoint) -> None:
        menu = self.menu()
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.findings.viewport().mapToGlobal(place))

    def _fed(self) -> frozenset[int]:
        """Cells that used seconds of the chosen finding count in."""
        solution = self.session.solution
        samples = None if solution is None else _evidence(solution, self._chosen_id())
        if solution is None or samples is None:
            return frozenset()
        return cells_of_samples(solution, samples)

    def _light(self, finding_id: str) -> None:
        """The samples that show a finding are lit on the tape, wherever they are."""
        solution = self.session.solution
        if solution is None:
            return
        samples = _evidence(solution, finding_id)
        if samples is not None and samples.any():
            self.session.selection.set_evidence(samples)


def _sureness(finding: Finding) -> str:
    """Nothing where a channel says it outright."""
    return (
        ""
        if finding.probability >= CERTAIN
        else f", {finding.sureness} ({100 * finding.probability:.0f} %)"
    )


def _how_sure(finding: Finding) -> str:
    if finding.probability >= CERTAIN:
        return "read from the log as it is."
    return (
        f"{finding.sureness}, {100 * finding.probability:.0f} %, if one drive in {1 / PRIOR:.0f} "
        "has such a fault; calibrated on simulated cars."
    )


def _evidence(solution: Solution, finding_id: str) -> Mask | None:
    if finding_id in solution.seen.shown:
        return solution.seen.shown[finding_id]
    with np.errstate(all="ignore"):
        return evidence_of(solution.prepared.conditions, finding_id)

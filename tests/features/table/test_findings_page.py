"""The Findings page: what was found, how sure, what it does, what next; its seconds on the tape."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtGui import QGuiApplication

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.patterns.dead_time import PATTERN
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.explore.linking import cells_of_samples, samples_of_cells
from lean_trim.core.pipeline.solve import Solution
from lean_trim.features.table.pages.findings_page import FindingsPage
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import PAGES
from tests.ui.conftest import findings_page


def tab(window: MainWindow) -> str:
    return window.margin.buttons.button(list(PAGES).index("findings")).text()


def with_pattern(solution: Solution) -> Solution:
    """The same solution with an unsure pattern told beside what was found."""
    said = PATTERN.message(size=9.0, error=2.0, coefficient=0.12, coefficient_pct=12.0)
    finding = Finding(
        id=PATTERN.id,
        severity="warning",
        first_time_s=100.0,
        seconds=30.0,
        said=said,
        probability=0.81,
        effect=PATTERN.effect(),
        next_step=PATTERN.next_step(),
        alike=("exhaust_leak",),
    )
    mask = np.zeros(len(solution.frame.log), bool)
    mask[2000:2400] = True
    seen = replace(solution.seen, shown={PATTERN.id: mask})
    return replace(solution, findings=(*solution.findings, finding), seen=seen)


def chosen_text(page: FindingsPage) -> str:
    return page.detail.text()


def test_every_finding_says_what_it_does_and_what_to_do_next(driven: MainWindow) -> None:
    page = findings_page(driven)
    solution = driven.session.solution
    assert solution is not None and page.findings.count() == len(solution.findings) > 0
    assert page.heading.text() == f"Findings: {len(solution.findings)}"
    for row, finding in enumerate(solution.findings):
        page.findings.setCurrentRow(row)
        assert str(finding.next_step) in chosen_text(page)
        assert "Samples:" in chosen_text(page) and "How sure:" in chosen_text(page)


def test_the_tab_counts_them_and_marks_dangers(driven: MainWindow) -> None:
    solution = driven.session.solution
    assert solution is not None
    grave = any(f.severity == "danger" for f in solution.findings)
    assert tab(driven) == f"Findings {len(solution.findings)}" + ("!" if grave else "")
    tip = driven.margin.buttons.button(list(PAGES).index("findings")).toolTip()
    assert ("danger" in tip) == grave


def test_an_unsure_finding_says_how_sure_and_lights_its_own_seconds(driven: MainWindow) -> None:
    page = findings_page(driven)
    session = driven.session
    before = session.solution
    assert before is not None
    changed = with_pattern(before)
    session.solver.solution = changed
    try:
        page.refresh()
        last = page.findings.item(page.findings.count() - 1)
        assert last.text().startswith("Caution, likely (81 %): The need for fuel grows")
        page.findings.setCurrentItem(last)
        assert "if one drive in 10 has such a fault" in chosen_text(page)
        page.findings.itemClicked.emit(last)
        lit = driven.tape.lit
        assert lit is not None and lit[-1] == 400
    finally:
        session.solver.solution = before
        session.selection.clear()
        page.refresh()


def test_the_menu_of_a_finding_chooses_the_cells_its_seconds_fed(driven: MainWindow) -> None:
    page = findings_page(driven)
    session = driven.session
    before = session.solution
    assert before is not None
    session.solver.solution = changed = with_pattern(before)
    try:
        page.refresh()
        page.findings.setCurrentRow(page.findings.count() - 1)
        show, choose, copy = page.menu().actions()
        samples = changed.seen.shown[PATTERN.id]
        cells = cells_of_samples(changed, samples)
        choose.trigger()
        assert session.selection.cells == cells and len(cells) > 1
        assert f"({len(cells)} cells)" in choose.text()
        # None of its own seconds is missing from what is chosen.
        used = samples & samples_of_cells(changed, range(changed.estimate.table.size))
        assert not (used & ~samples_of_cells(changed, cells)).any()
        copy.trigger()
        assert QGuiApplication.clipboard().text() == changed.findings[-1].message
        show.trigger()
        assert driven.tape.lit is not None and driven.tape.lit[-1] == 400
        changed.seen.shown[PATTERN.id][:] = False
        page.findings.setCurrentRow(page.findings.count() - 1)
        none = page.menu().actions()[1]
        assert "none: no second of it was used" in none.text() and not none.isEnabled()
    finally:
        session.solver.solution = before
        session.selection.clear()
        page.refresh()


def test_every_fault_has_words_for_its_effect_and_the_next_step() -> None:
    for fault in FAULTS:
        assert fault.effect is not None and fault.next_step is not None, fault.id

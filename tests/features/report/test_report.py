"""The report of a round: what it says, as HTML and as pages, from the command and the window."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtWidgets import QFileDialog

from lean_trim.cli.main import main
from lean_trim.core.data.log import Log
from lean_trim.features.registry import FEATURES
from lean_trim.features.report.content import Grid, Lines, Report, Rows, Section
from lean_trim.features.report.gathering import gathered_report
from lean_trim.features.report.pages import report_pdf as pages
from lean_trim.features.report.pages.report_pdf import report_pdf
from lean_trim.features.report.report_html import report_html, tint
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.tern import tern
from lean_trim.ui.window.main_window import MainWindow

pytestmark = pytest.mark.slow


class _Tags(HTMLParser):
    """Every tag that was opened is closed; the text beside."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.text = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag not in ("meta",):
            self.open.append(tag)
        assert not any(name in ("src", "href") for name, _ in attrs), "something is fetched"

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


def read(html: str) -> str:
    parser = _Tags()
    parser.feed(html)
    assert not parser.open
    return parser.text


@pytest.fixture(scope="module")
def job_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("report") / "job.leantrim"
    store = JobStore.create(path, heron(), car="heron")
    store.add_logs(store.load().rounds[0].id, [store_log(simulate(heron(), seed=1, minutes=5.0))])
    store.close()
    return path


@pytest.fixture(scope="module")
def report(job_file: Path) -> Report:
    return gathered_report(load_job(job_file)).report


def test_it_says_vehicle_rounds_tables_and_what_is_not_proven(report: Report) -> None:
    text = read(report_html(report))
    for word in (
        "Heron",
        "1.8 L",
        "7.60 g/s",
        "VE as driven in round 1",
        "Not covered, not proven",
    ):
        assert word in text, word
    assert "Lean at load destroys engines" in text and "Not handed over" in text
    titles = [s.title for s in report.sections]
    assert titles[0] == "Vehicle" and titles[-1] == "Caution" and len(set(titles)) == len(titles)


def test_names_and_words_of_the_user_are_no_markup(report: Report) -> None:
    evil = replace(report, title="<script>x</script>&amp;")
    assert "<script>" not in report_html(evil) and "&lt;script&gt;" in report_html(evil)


def test_pages_hold_all_they_are_given(
    report: Report, qapp: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    ends: list[tuple[float, float]] = []
    real = pages._draw

    def drawn(p: pages._Pages, block: object) -> None:
        real(p, block)  # type: ignore[arg-type]
        ends.append((p.y, p.height))

    monkeypatch.setattr(pages, "_draw", drawn)
    for page in ("A4", "Letter"):
        data = report_pdf(report, page)
        count = len(re.findall(rb"/Type /Page\b", data))
        assert data.startswith(b"%PDF-") and 2 <= count <= 4
    assert ends and all(y <= height + pages.GAP + 1.0 for y, height in ends)


def test_a_heading_goes_to_the_page_of_what_stands_below_it(
    qapp: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    grid = Grid(heron().table, np.full(heron().table.shape, "88.8"), np.zeros(heron().table.shape))
    many = Lines(tuple("a line that fills the page" for _ in range(41)))
    at: list[tuple[str, int]] = []
    real = pages._heading

    def heading(p: pages._Pages, text: str, size: float) -> None:
        real(p, text, size)
        at.append((text, p.number))

    drawn: list[int] = []
    real_grid = pages._grid

    def painted(p: pages._Pages, block: Grid) -> None:
        real_grid(p, block)
        drawn.append(p.number)

    monkeypatch.setattr(pages, "_heading", heading)
    monkeypatch.setattr(pages, "_grid", painted)
    report_pdf(Report("title", "under", (Section("full", (many,)), Section("below", (grid,)))))
    assert dict(at)["below"] == drawn[0] == 2


def test_long_rows_go_on_over_pages_each_with_its_heads(
    qapp: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    sentence = "a sentence of some length that is wrapped " * 4
    rows = Rows(("a", "b"), tuple((f"{i}", sentence) for i in range(150)))
    heads: list[int] = []
    real = pages._row

    def drawn(p: pages._Pages, *args: object, faint: bool = False) -> None:
        real(p, *args, faint=faint)  # type: ignore[arg-type]
        if faint:
            heads.append(p.number)

    monkeypatch.setattr(pages, "_row", drawn)
    data = report_pdf(Report("t", "u", (Section("s", (rows,)),)))
    count = len(re.findall(rb"/Type /Page\b", data))
    assert count >= 3 and heads == list(range(1, count + 1))


def test_tints_grow_with_the_change_and_end() -> None:
    assert tint(0.0)[1] == tint(float("nan"))[1] == 0.0
    assert tint(5.0)[1] < tint(10.0)[1] == tint(40.0)[1] and tint(5.0)[0] != tint(-5.0)[0]


def test_the_command_writes_pages_html_and_figures(
    job_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], qapp: object
) -> None:
    for suffix in ("pdf", "html"):
        out = tmp_path / f"mine.{suffix}"
        assert main(["report", str(job_file), "--out", str(out)], FEATURES) == 0
        assert out.stat().st_size > 5000
    assert json.loads((tmp_path / "mine-round.json").read_text())["cells"]
    capsys.readouterr()
    assert main(["report", str(job_file), "--out", str(tmp_path / "a.doc")], FEATURES) == 2
    assert "written as .pdf or .html" in capsys.readouterr().err
    words = ["report", str(job_file), "--round", "7", "--out", str(tmp_path / "a.pdf")]
    assert main(words, FEATURES) == 2
    assert "round 7 is not in this job" in capsys.readouterr().err
    assert not (tmp_path / "a.pdf").exists()


def test_a_curve_and_a_round_without_a_drive_have_reports_too(tmp_path: Path) -> None:
    path = tmp_path / "curve.leantrim"
    store = JobStore.create(path, tern())
    empty = gathered_report(store.load()).report
    assert "no drive that could be worked out" in read(report_html(empty))
    store.add_logs(store.load().rounds[0].id, [store_log(simulate(tern(), seed=1, minutes=4.0))])
    short: Log = simulate(tern(), seed=1, minutes=0.2)
    text = read(report_html(gathered_report(store.load()).report))
    assert "before, g/s" in text and "change, %" in text
    store.close()
    other = JobStore.create(tmp_path / "short.leantrim", tern())
    other.add_logs(other.load().rounds[0].id, [store_log(short)])
    assert "could not be worked out" in read(report_html(gathered_report(other.load()).report))
    other.close()


def test_the_window_writes_what_it_shows(
    driven: MainWindow, until: Callable[..., None], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "shown.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    driven.actions_["write_report"].trigger()
    until((tmp_path / "shown-round.json").exists)
    assert path.read_bytes().startswith(b"%PDF-")

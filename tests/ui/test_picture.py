"""Charts and tables as pictures and as numbers."""

from __future__ import annotations

import csv
import xml.etree.ElementTree as ET
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.widgets.picture import Pictured, add_picture_actions, columns_text, pictured_in
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.conftest import fit_page

pytestmark = pytest.mark.slow


def test_columns_of_other_lengths_end_early_and_unknown_is_blank() -> None:
    text = columns_text({"a, s": [1.0, 2.0], "b, %": [np.nan]})
    assert text == "a, s\tb, %\n1\t\n2\t\n"


def test_the_table_is_had_as_png_svg_and_numbers(
    driven: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = table_desk(driven).table
    table.setFocus()
    for suffix in ("png", "svg", "pdf", "csv"):
        path = tmp_path / f"shown.{suffix}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, p=path: (str(p), ""))
        driven.actions_["save_picture"].trigger()
        assert path.exists(), suffix
    image = QImage(str(tmp_path / "shown.png"))
    assert image.width() == 2 * table.width()
    # A page by day, whatever the window looks like.
    page = (tmp_path / "shown.pdf").read_bytes()
    assert page.startswith(b"%PDF-") and page.rstrip().endswith(b"%%EOF")
    root = ET.parse(tmp_path / "shown.svg").getroot()
    assert root.tag.endswith("svg")
    texts = "".join(root.itertext())
    assert "53.7" in texts and "7200" in texts
    with (tmp_path / "shown.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.reader(file))
    assert len(rows) == 15 and len(rows[0]) == 17 and rows[1][1] == "53.7"


def test_a_file_that_cannot_be_written_is_told(
    driven: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[str] = []
    monkeypatch.setattr("lean_trim.ui.widgets.picture._tell", lambda _, text: told.append(text))
    missing = tmp_path / "no-such-folder" / "a.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(missing), ""))
    driven.actions_["save_picture"].trigger()
    assert "a.png could not be written" in told[0]


def test_pictures_and_numbers_go_to_the_clipboard(driven: MainWindow) -> None:
    clipboard = QGuiApplication.clipboard()
    table_desk(driven).table.setFocus()
    driven.actions_["copy_picture"].trigger()
    assert clipboard.image().width() == table_desk(driven).table.width()
    driven.tape.setFocus()
    driven.tape.look_at(100.0, 101.0)
    driven.actions_["copy_numbers"].trigger()
    lines = clipboard.text().splitlines()
    assert lines[0].startswith("time, s\t") and "λ" in lines[0]
    time = [float(line.split("\t")[0]) for line in lines[1:]]
    assert len(time) >= 10 and 99.0 < time[0] < 101.0


def test_every_chart_offers_itself_and_its_numbers(driven: MainWindow) -> None:
    driven.margin.show_page("fit")
    QApplication.processEvents()
    offered = pictured_in(fit_page(driven))
    assert isinstance(offered, Pictured) and offered.numbers is not None
    head = offered.numbers().splitlines()[0]
    assert head.startswith("s from the change\tlambda as injected")
    menu = QMenu()
    add_picture_actions(menu, offered)
    assert [a.text() for a in menu.actions()] == [
        "Copy as a picture",
        "Copy its numbers",
        "Save as picture or numbers…",
    ]
    offered.widget.customContextMenuRequested.emit(QPoint(5, 5))
    shown = QApplication.activePopupWidget()
    assert isinstance(shown, QMenu)
    shown.close()

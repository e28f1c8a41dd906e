"""Help on a word, and one page of keys."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt

from lean_trim.ui.widgets.label import RichLabel
from lean_trim.ui.window.finder import NAME, Finder
from lean_trim.ui.window.glossary import Term, looked_up, terms
from lean_trim.ui.window.main_window import MainWindow


def test_every_line_of_the_page_is_a_term() -> None:
    found = terms()
    assert len(found) > 25 and all(t.ours and t.trade and t.meaning for t in found)
    assert len({t.ours for t in found}) == len(found)


def test_a_word_is_found_by_ours_and_by_the_trades() -> None:
    assert looked_up("visit")[0].ours.startswith("visit")
    # "hit count" is what others call evidence.
    assert any("evidence" in t.ours for t in looked_up("hit count"))
    assert looked_up("zz") == () and looked_up("nonsense") == ()
    said = looked_up("visit")[0].said
    assert said.startswith("Visit (elsewhere: hit): an unbroken stretch")


@pytest.mark.slow
def test_the_finder_explains_a_word(driven: MainWindow) -> None:
    finder = Finder(driven.actions_, driven)
    told: list[str] = []
    finder.explained.connect(told.append)
    finder.line.setText("residual")
    rows = [finder.list.topLevelItem(i) for i in range(finder.list.topLevelItemCount())]
    (row,) = [r for r in rows if isinstance(r.data(NAME, Qt.ItemDataRole.UserRole), Term)]
    finder.list.setCurrentItem(row)
    finder.run_chosen()
    assert told and told[0].startswith("Residual")


@pytest.mark.slow
def test_f1_has_the_keys_of_the_desk_and_of_every_command(driven: MainWindow) -> None:
    driven.actions_["help"].trigger()
    text = "".join(keys.text() for keys in driven.help.findChildren(RichLabel))
    assert "Page Up, Page Down" in text
    for action in driven.actions_.values():
        if not action.shortcut().isEmpty():
            assert f"<b>{action.shortcut().toString()}</b>" in text

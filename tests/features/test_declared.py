"""What every declared feature must pass, and what the window makes of it by keys alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel

from lean_trim.features.feature import commands_of, desks_of, pages_of, parts_of
from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.window.finder import Finder
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.workspace import Workspace

Until = Callable[..., None]
DESKS = desks_of(FEATURES)


@pytest.mark.parametrize(
    "names",
    [
        [feature.name for feature in FEATURES],
        [desk.name for desk in DESKS],
        [page.name for page in pages_of(FEATURES)],
        [command.name for command in commands_of(FEATURES)],
        [output.name for feature in FEATURES for output in feature.outputs],
        [output.file_name for feature in FEATURES for output in feature.outputs],
        [added.command.name for feature in FEATURES for added in feature.actions],
    ],
)
def test_a_name_is_given_once(names: list[str]) -> None:
    assert [name for name, count in Counter(names).items() if count > 1] == []
    assert all(name.replace("_", "").replace(".", "").isalnum() for name in names)


def test_there_is_one_first_desk_and_every_part_can_be_made() -> None:
    assert sum(desk.is_first for desk in DESKS) == 1
    made = parts_of(FEATURES)
    workspace = Workspace(ManualLoop(), made)
    # Each from the parts before it alone.
    for at, make in enumerate(made):
        kind = type(make(Workspace(ManualLoop(), made[:at]).parts))
        assert type(workspace.parts[kind]) is kind


@pytest.mark.parametrize("desk", DESKS, ids=lambda desk: desk.name)
def test_help_can_be_read_in_a_minute(desk: object) -> None:
    spec = next(d for d in DESKS if d is desk)
    words = sum(len(p.split()) for p in spec.help.paragraphs)
    assert spec.title in spec.help.title
    assert 60 <= words <= 240
    # Plain text, in the window's own words.
    assert not any(sign in p for p in spec.help.paragraphs for sign in "<>*`")


def test_desks_are_turned_to_by_key_and_the_tiles_have_the_focus(driven: MainWindow) -> None:
    for place, spec in enumerate(DESKS, start=1):
        key = Qt.Key(int(Qt.Key.Key_0) + place)
        assert driven.actions_[f"desk_{spec.name}"].shortcut().toString() == f"Alt+{place}"
        QTest.keyClick(driven, key, Qt.KeyboardModifier.AltModifier)
        QApplication.processEvents()
        assert driven.desks.shown.name == spec.name
        assert driven.desk(spec.name).widget.isVisible()
    driven.show_desk("table")
    assert QApplication.focusWidget() is table_desk(driven).table


def test_help_stands_in_place_of_the_desk_until_it_is_left(driven: MainWindow) -> None:
    def press() -> None:
        driven.actions_["help"].trigger()
        QApplication.processEvents()

    press()
    assert driven.help.isVisible() and not table_desk(driven).isVisible()
    assert not driven.margin.isVisible()
    press()
    assert table_desk(driven).isVisible() and driven.margin.isVisible()
    press()
    # Another desk is wanted, not its help.
    driven.show_desk("pulls")
    QApplication.processEvents()
    assert not driven.help.isVisible() and driven.desk("pulls").widget.isVisible()
    press()
    assert driven.help.title.text() == "The Pulls desk"
    QTest.mouseClick(driven.help.back, Qt.MouseButton.LeftButton)
    assert driven.desk("pulls").widget.isVisible()


def test_a_question_goes_before_help_and_help_comes_back_after_it(
    driven: MainWindow, until: Until, tmp_path: Path
) -> None:
    driven.actions_["help"].trigger()
    doubtful = tmp_path / "doubtful.csv"
    rows = "\n".join(f"{i / 10},{1000 + i},{40 + i % 9},{1 + i % 3 / 10}" for i in range(400))
    doubtful.write_text(f"time,a,b,c\n{rows}\n")
    driven.session.imports.add([doubtful])
    until(lambda: driven.session.imports.current is not None)
    QApplication.processEvents()
    assert driven.import_sheet.isVisible() and not driven.help.isVisible()
    # Asked for again while the question stands: it stays.
    driven.actions_["help"].trigger()
    driven.actions_["help"].trigger()
    assert driven.import_sheet.isVisible()
    driven.show_desk("pulls")
    driven.show_desk("table")
    assert driven.import_sheet.isVisible() and not driven.margin.isVisible()
    driven.actions_["help"].trigger()
    driven.session.imports.discard()
    QApplication.processEvents()
    assert driven.help.isVisible() and not driven.import_sheet.isVisible()


def test_without_a_job_there_is_no_desk_to_explain(window: MainWindow) -> None:
    window.actions_["help"].trigger()
    assert not window.help.isVisible() and window.start_page.isVisible()


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("export", "hand_over"),
        ("exclude", "leave_out"),
        ("revert", "put_back"),
        ("datalog", "add_logs"),
        ("manual", "help"),
        ("dark", "night"),
        ("simulate", "drive"),
    ],
)
def test_a_command_is_found_by_the_word_somebody_else_uses(
    window: MainWindow, typed: str, found: str
) -> None:
    finder = Finder(window.actions_, window)
    finder.search(typed)
    shown = {
        finder.list.topLevelItem(row).data(0, Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
        for row in range(finder.list.topLevelItemCount())
    }
    assert window.actions_[found] in shown


@dataclass(frozen=True)
class Rung:
    """A message of nobody's."""

    number: int


class Bell:
    """A part of nobody's."""


def test_a_view_reaches_a_part_and_hears_a_message_by_its_class(window: MainWindow) -> None:
    session = window.session
    session.parts.put(Bell())
    assert isinstance(session.part(Bell), Bell)
    with pytest.raises(KeyError):
        session.part(Rung)
    heard: list[str] = []
    session.told(Rung).connect(lambda: heard.append("first"))
    # Asked for again it is the same signal: the hub is subscribed to once.
    assert session.told(Rung) == session.told(Rung)
    session.told(Rung).connect(lambda: heard.append("second"))
    session.open.hub.publish(Rung(1))
    assert heard == ["first", "second"]
    session.open.hub.publish(Bell())
    assert heard == ["first", "second"]


def test_a_view_that_is_gone_hears_nothing_and_breaks_nothing(window: MainWindow) -> None:
    session = window.session
    label = QLabel("waits", window)
    session.told(Rung).connect(label.clear)
    label.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    session.open.hub.publish(Rung(2))


def test_what_a_tab_says_goes_with_the_round(driven: MainWindow) -> None:
    """Findings are counted on their tab; with no job there is nothing to count."""
    place = [page.name for page in pages_of(FEATURES)].index("findings")
    button = driven.margin.buttons.button(place)
    assert button.text().startswith("Findings ") and button.text() != "Findings"
    assert "danger" in button.toolTip() or "note" in button.toolTip()
    driven.session.close_job()
    QApplication.processEvents()
    assert button.text() == "Findings"
    assert "Ctrl+2" in button.toolTip()

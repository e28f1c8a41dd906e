"""Rows and columns put in, taken out or moved: what that does to the table stands there before it is done."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.axis_edit import Act
from lean_trim.core.text import evenly_written
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.label import Label
from lean_trim.workspace.axis_edits import Wanted

ACT_WORDS = {Act.INSERT: "Put in", Act.MOVE: "Move", Act.REMOVE: "Take out"}


class AxisSheet(QDialog):
    """Asks for an edit of the axes; Enter does it where it can be done.

    Parameters
    ----------
    act : what is asked first.
    axis : of the table, from 0.
    index : of the point it is about.
    """

    def __init__(self, session: Session, parent: QWidget, act: Act, axis: int, index: int) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Rows and columns")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._act = act
        self._axis = axis
        self._index = index
        current = session.round
        assert current is not None
        self.table = current.table
        self.act = self._choice("What is done", ACT_WORDS, self._take_act)
        names = {i: f"{a.name}, {a.shown_unit}" for i, a in enumerate(self.table.axes)}
        self.axis = self._choice("Which axis", names, self._take_axis)
        self.point = ChoiceButton(self._points, parent=self)
        self.point.setAccessibleName("Which point")
        self.point.chosen.connect(self._take_point)
        self.value = QLineEdit()
        self.value.setAccessibleName("Where the point comes to lie")
        self.value.textEdited.connect(lambda _: self.refresh())
        self.told = Label()
        self.told.setWordWrap(True)
        self.told.setMinimumWidth(380)
        form = QFormLayout()
        form.addRow("", self.act)
        form.addRow("On", self.axis)
        form.addRow("Point", self.point)
        form.addRow("At", self.value)
        self.do = QPushButton()
        self.do.setObjectName("primary")
        self.do.setDefault(True)
        self.close_button = QPushButton("Close")
        self.do.clicked.connect(self._do)
        self.close_button.clicked.connect(self.close)
        row = QHBoxLayout()
        row.addWidget(self.do)
        row.addStretch(1)
        row.addWidget(self.close_button)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.told)
        layout.addLayout(row)
        self._fill_value()
        self.refresh()
        self.value.setFocus()
        self.value.selectAll()

    def _choice(self, name: str, words: Mapping[Any, str], take: Any) -> ChoiceButton:
        button = ChoiceButton(lambda: [Entry(w, key) for key, w in words.items()], parent=self)
        button.setAccessibleName(name)
        button.chosen.connect(take)
        return button

    def _points(self) -> list[Entry]:
        texts = evenly_written(self.table.axes[self._axis].shown.tolist())
        return [Entry(text, place) for place, text in enumerate(texts)]

    def _take_act(self, act: object) -> None:
        self._act = Act(str(act))
        self._fill_value()
        self.refresh()

    def _take_axis(self, axis: object) -> None:
        self._axis = int(str(axis))
        self._index = 0
        self._fill_value()
        self.refresh()

    def _take_point(self, index: object) -> None:
        self._index = int(str(index))
        self._fill_value()
        self.refresh()

    def _fill_value(self) -> None:
        """Where driving asks for a point, else half way to the next."""
        shown = self.table.axes[self._axis].shown
        at = min(self._index, len(shown) - 1)
        advised = self.session.axis_edits.advised if self._is_speed else ()
        if self._act is Act.INSERT and advised:
            value = advised[0]
        elif self._act is Act.INSERT:
            other = at + 1 if at + 1 < len(shown) else at - 1
            value = float(shown[at] + shown[other]) / 2.0
        else:
            value = float(shown[at])
        self.value.setText(f"{value:g}")

    @property
    def _is_speed(self) -> bool:
        return self.table.axes[self._axis].unit == "rpm"

    @property
    def wanted(self) -> Wanted | None:
        """The edit that stands there; None where its value is no number."""
        text = self.value.text().strip().replace(",", ".")
        try:
            value = float(text) if self._act is not Act.REMOVE else 0.0
        except ValueError:
            return None
        return Wanted(act=self._act, axis=self._axis, index=self._index, value=value)

    def refresh(self) -> None:
        """Say what the edit would do."""
        axis = self.table.axes[self._axis]
        self.act.show_choice(ACT_WORDS[self._act], self._act)
        self.axis.show_choice(f"{axis.name}, {axis.shown_unit}", self._axis)
        self.point.show_choice(evenly_written(axis.shown.tolist())[self._index], self._index)
        self.point.setEnabled(self._act is not Act.INSERT)
        self.value.setEnabled(self._act is not Act.REMOVE)
        wanted = self.wanted
        if wanted is None:
            self.told.setText(f"{self.value.text()!r} is no number in {axis.shown_unit}.")
            self.do.setEnabled(False)
            return
        edit, said = self.session.axis_edits.look(wanted)
        current = self.session.round
        logs = current is not None and bool(current.logs)
        after = (
            " This round was driven on its own axes: the next one begins on the new ones."
            if logs and edit is not None
            else ""
        )
        self.told.setText(f"{said}{after}")
        self.do.setText("Begin a round on it" if logs else "Do it")
        self.do.setEnabled(edit is not None and self.session.is_last and self.session.can_save)

    def _do(self) -> None:
        wanted = self.wanted
        if wanted is not None and self.session.axis_edits.edit(wanted):
            self.close()

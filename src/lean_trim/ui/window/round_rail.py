"""The job's rounds as a short logbook down one side."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime

from PySide6.QtCore import (
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSignalBlocker,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QAction, QPainter, QPen
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.text import cells_in_words
from lean_trim.job.records import SWAP, Job, Round
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.window.round_steps import RoundSteps
from lean_trim.workspace.judging import verdict_of

ROW_H = 68
NARROW_ROW_H = 34
WIDTH = 222
NARROW_WIDTH = 40
"""Heights of a round's lines and of its mark alone, widths of the rail with and without words, px."""
LINES = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex
FEEDBACK_WORDS = {
    "wideband": "wideband feedback",
    "narrowband": "narrowband feedback",
    "none": "no feedback",
}


def round_lines(job: Job, index: int) -> tuple[str, str, str, str]:
    """Title, date, what changed and the outcome of a round, as the rail shows them."""
    current = job.rounds[index]
    started = datetime.fromisoformat(current.started).strftime("%d %b %H:%M")
    changed = current.decided.changed
    action = (
        "injector data decided"
        if current.injectors_decided
        else f"{cells_in_words(changed)} decided"
        if changed
        else "nothing decided yet"
        if current.logs
        else "no log yet"
    )
    other = current.decided_in_other
    if other:
        action = f"{changed} here, {cells_in_words(other)} in the other table"
    if current.corrections_decided:
        action = (
            f"{cells_in_words(changed)}, corrections decided" if changed else "corrections decided"
        )
    if current.handed_over:
        action = "handed over" if job.round_after(current) else "handed over, waiting for a log"
    if current.note and not current.logs:
        action = current.note
    if current.kind == SWAP:
        action = f"other injectors: {action.removeprefix('injector ')}"
    judged = verdict_of(job, current)
    if judged is not None:
        # First, for what follows is cut where the rail is too narrow.
        action = f"{judged.word} · {action}"
    return _title(job, current), started, action, outcome(job, current)


def _title(job: Job, current: Round) -> str:
    """The round's number, and the round it was made from where that is not the one before it."""
    before = job.round_before(current)
    if before is None or before.number == current.number - 1:
        return f"Round {current.number}"
    return f"Round {current.number} from {before.number}"


def outcome(job: Job, current: Round) -> str:
    """How far this round's drive was off, and what the next one should show."""
    before = current.verdict.residual_rms if current.verdict else math.nan
    if not math.isfinite(before):
        return ""
    child = job.round_after(current)
    following = child.verdict if child is not None else None
    shown = following is not None and math.isfinite(following.residual_rms)
    expected = current.prediction
    if shown or expected is None:
        return f"off by {before:.1f} %"
    # Short, for the rail is narrow; the head of the table says it in full once the drive is in.
    return f"off {before:.1f} → {expected.residual_rms:.1f} ± {expected.std_error:.1f} % due"


def round_tip(job: Job, index: int) -> str:
    """What a round's lines in the rail mean.

    Returns several lines.
    """
    lines = [line for line in round_lines(job, index) if line]
    if lines[-1].startswith("off"):
        lines.append(
            "“Off” is how far the drive was from a table that needs no correction, in percent, "
            "over the cells it visited (rms). After the arrow: what is due if the decided table "
            "is driven."
        )
    judged = verdict_of(job, job.rounds[index])
    if judged is not None:
        lines.append(judged.said)
    return "\n".join(lines)


class _RoundDelegate(QStyledItemDelegate):
    def __init__(self, appearance: Appearance, parent: QWidget) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.is_narrow = False

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(20, NARROW_ROW_H) if self.is_narrow else QSize(180, ROW_H)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme = self.appearance.theme
        rect = QRectF(option.rect)  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        painter.save()
        painter.fillRect(rect, theme.color("sheet" if chosen else "paper"))
        x = rect.left() + 16
        painter.setPen(QPen(theme.color("edge"), 1.5))
        painter.drawLine(int(x), int(rect.top()), int(x), int(rect.bottom() + 1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("accent"), 2))
        painter.setBrush(theme.color("accent" if chosen else "paper"))
        painter.drawEllipse(QRectF(x - 5, rect.top() + 11, 10, 10))
        if chosen:
            painter.fillRect(
                QRectF(rect.left(), rect.top(), 3, rect.height()), theme.color("accent")
            )
        title, started, action, result = index.data(LINES)
        if self.is_narrow:
            painter.setPen(theme.color("ink"))
            painter.setFont(font(8.5, bold=chosen))
            below = rect.adjusted(0, 20, -rect.width() + 32, 0)
            painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, str(index.row() + 1))
            painter.restore()
            return
        text = rect.adjusted(32, 6, -6, -4)
        painter.setPen(theme.color("ink"))
        painter.setFont(font(10.5, bold=True))
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft, title)
        painter.setFont(font(8.5))
        painter.setPen(theme.color("faint"))
        painter.drawText(text.adjusted(0, 2, 0, 0), Qt.AlignmentFlag.AlignRight, started)
        action = painter.fontMetrics().elidedText(
            action, Qt.TextElideMode.ElideRight, int(text.width())
        )
        painter.drawText(text.adjusted(0, 22, 0, 0), Qt.AlignmentFlag.AlignLeft, action)
        painter.setPen(theme.color("ink"))
        painter.setFont(font(9, bold=True))
        shown = painter.fontMetrics().elidedText(
            result, Qt.TextElideMode.ElideRight, int(text.width())
        )
        painter.drawText(text.adjusted(0, 41, 0, 0), Qt.AlignmentFlag.AlignLeft, shown)
        painter.restore()


class RoundRail(QWidget):
    """Lists the rounds; choosing one shows it. Below them, how far the shown one has come."""

    narrowed = Signal(bool)
    """Whether only the rounds' marks are left."""

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        actions: Mapping[str, QAction],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.title = Label(self)
        self.title.setFont(font(13, bold=True))
        self.subtitle = Label(self)
        self.subtitle.setWordWrap(True)
        self.subtitle.setFont(font(8.5))
        self.list = QListWidget(self)
        self.list.setAccessibleName("Rounds")
        self.list.setStyleSheet("QListWidget { border: none; background: transparent; }")
        self._delegate = _RoundDelegate(appearance, self.list)
        self.list.setItemDelegate(self._delegate)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._chosen)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 6, 6)
        layout.setSpacing(4)
        layout.addWidget(self.title)
        layout.addWidget(self.subtitle)
        layout.addWidget(self.list, 1)
        self.steps = RoundSteps(session, appearance, actions, self)
        layout.addWidget(self.steps)
        layout.addStretch(0)
        self.is_narrow = False
        self._filled_of: Job | None = None
        self.widener = QToolButton(self)
        self.widener.setObjectName("flat")
        self.widener.setAccessibleName("Narrow or widen the rail")
        self.widener.clicked.connect(lambda: self.narrow(not self.is_narrow))
        layout.addWidget(self.widener, 0, Qt.AlignmentFlag.AlignRight)
        self.narrow(False)
        session.job_changed.connect(self.refresh)
        session.round_changed.connect(self.refresh)
        session.decided.connect(self.refresh)
        appearance.changed.connect(self.list.viewport().update)

    def narrow(self, on: bool) -> None:
        """Leave only the rounds' marks, or show their lines again."""
        changed = on != self.is_narrow
        self.is_narrow = on
        self._delegate.is_narrow = on
        self.setFixedWidth(NARROW_WIDTH if on else WIDTH)
        for widget in (self.title, self.subtitle, self.steps):
            widget.setVisible(not on)
        self.widener.setText("▸" if on else "◂")
        tip = "Show the rounds' lines and the next step" if on else "Leave only the rounds' marks"
        self.widener.setToolTip(f"{tip} (Shift+F4)")
        self.refresh()
        if changed:
            self.narrowed.emit(on)

    def refresh(self) -> None:
        """Fill the list from the job."""
        job = self.session.job
        # Filling moves the current row, which would show another round.
        with QSignalBlocker(self.list):
            self._fill(job)

    def _fill(self, job: Job | None) -> None:
        # A job that changes is another record.
        if job is not self._filled_of or job is None:
            self._filled_of = job
            self._fill_rounds(job)
        self.list.setCurrentRow(self.session.index)
        # As high as the rounds are, so that the steps follow at once; it scrolls where there is no
        # room.
        row = NARROW_ROW_H if self.is_narrow else ROW_H
        self.list.setMaximumHeight(row * max(self.list.count(), 1) + 4)
        self.list.setMinimumHeight(min(row, self.list.maximumHeight()))
        self.list.scrollToItem(self.list.currentItem())

    def _fill_rounds(self, job: Job | None) -> None:
        self.list.clear()
        self.title.setText(job.vehicle.name if job else "")
        if job is not None:
            v = job.vehicle
            source = " · simulated car" if job.car else ""
            self.subtitle.setText(
                f"{v.displacement_l:g} L, {v.cylinders} cylinders, "
                f"{table_words(v.table)}, "
                f"{FEEDBACK_WORDS[v.feedback]}{source}"
            )
            for i in range(len(job.rounds)):
                item = QListWidgetItem()
                lines = round_lines(job, i)
                item.setData(LINES, lines)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(lines))
                item.setToolTip(plain_tip(round_tip(job, i)))
                self.list.addItem(item)

    def _chosen(self, row: int) -> None:
        if row >= 0 and self.session.job is not None and row != self.session.index:
            self.session.show_round(row)

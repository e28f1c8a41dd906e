"""The job's rounds as a short logbook down one side."""

from __future__ import annotations

import math
from datetime import datetime

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSignalBlocker, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import (
    QLabel,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.decision.verdict import verdict_word
from lean_trim.job.records import Job, Round
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font

ROW_H = 78
LINES = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex


def round_lines(job: Job, index: int) -> tuple[str, str, str, str]:
    """Title, date, what changed and the outcome of a round, as the rail shows them."""
    current = job.rounds[index]
    started = datetime.fromisoformat(current.started).strftime("%d %b %H:%M")
    changed = current.decided.changed
    action = (
        f"{changed} cells decided"
        if changed
        else "nothing decided yet"
        if current.logs
        else "waiting for a log"
    )
    if current.handed_over and changed:
        action = f"{changed} cells, handed over"
    return _title(job, current), started, action, outcome(job, current)


def _title(job: Job, current: Round) -> str:
    """The round's number, and the round it was made from where that is not the one before it."""
    before = job.round_before(current)
    if before is None or before.number == current.number - 1:
        return f"Round {current.number}"
    return f"Round {current.number} from {before.number}"


def outcome(job: Job, current: Round) -> str:
    """Residual of this round and of the drive after it, or what that drive should show."""
    before = current.verdict.residual_rms if current.verdict else math.nan
    if not math.isfinite(before):
        return "no residual yet"
    child = job.round_after(current)
    following = child.verdict if child is not None else None
    if following is None or not math.isfinite(following.residual_rms):
        expected = current.prediction
        if expected is None:
            return f"residual {before:.1f} %"
        # Short, for the rail is narrow; "foretold" stands in the head of the table once the drive is in.
        return f"{before:.1f} → {expected.residual_rms:.1f} ± {expected.std_error:.1f} % due"
    after = following.residual_rms
    return f"{before:.1f} → {after:.1f} %  {verdict_word(before, after)}"


class _RoundDelegate(QStyledItemDelegate):
    def __init__(self, appearance: Appearance, parent: QWidget) -> None:
        super().__init__(parent)
        self.appearance = appearance

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(180, ROW_H)

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
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), theme.color("accent"))
        title, started, action, result = index.data(LINES)
        text = rect.adjusted(32, 6, -6, -4)
        painter.setPen(theme.color("ink"))
        painter.setFont(font(10.5, bold=True))
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft, title)
        painter.setFont(font(8.5))
        painter.setPen(theme.color("faint"))
        painter.drawText(text.adjusted(0, 2, 0, 0), Qt.AlignmentFlag.AlignRight, started)
        painter.drawText(text.adjusted(0, 22, 0, 0), Qt.AlignmentFlag.AlignLeft, action)
        painter.setPen(theme.color("ink"))
        painter.setFont(font(9, bold=True))
        shown = painter.fontMetrics().elidedText(result, Qt.TextElideMode.ElideRight, int(text.width()))
        painter.drawText(text.adjusted(0, 41, 0, 0), Qt.AlignmentFlag.AlignLeft, shown)
        painter.restore()


class RoundRail(QWidget):
    """Lists the rounds; choosing one shows it."""

    def __init__(self, session: Session, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.title = QLabel(self)
        self.title.setFont(font(13, bold=True))
        self.subtitle = QLabel(self)
        self.subtitle.setWordWrap(True)
        self.subtitle.setFont(font(8.5))
        self.list = QListWidget(self)
        self.list.setAccessibleName("Rounds")
        self.list.setStyleSheet("QListWidget { border: none; background: transparent; }")
        self.list.setItemDelegate(_RoundDelegate(appearance, self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._chosen)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 6, 6)
        layout.setSpacing(4)
        layout.addWidget(self.title)
        layout.addWidget(self.subtitle)
        layout.addWidget(self.list, 1)
        self.setFixedWidth(222)
        session.job_changed.connect(self.refresh)
        session.round_changed.connect(self.refresh)
        session.decided.connect(self.refresh)
        appearance.changed.connect(self.list.viewport().update)

    def refresh(self) -> None:
        """Fill the list from the job."""
        job = self.session.job
        # Filling moves the current row, which would show another round.
        with QSignalBlocker(self.list):
            self._fill(job)

    def _fill(self, job: Job | None) -> None:
        self.list.clear()
        self.title.setText(job.vehicle.name if job else "")
        if job is not None:
            v = job.vehicle
            source = "simulated car" if job.car else "real vehicle"
            self.subtitle.setText(
                f"{v.displacement_l:g} L, {v.cylinders} cylinders, "
                f"{'VE table' if v.airflow == 've' else 'MAF curve'}, "
                f"{v.feedback} feedback · {source}"
            )
            for i in range(len(job.rounds)):
                item = QListWidgetItem()
                lines = round_lines(job, i)
                item.setData(LINES, lines)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(lines))
                item.setToolTip("\n".join(lines))
                self.list.addItem(item)
            self.list.setCurrentRow(self.session.index)

    def _chosen(self, row: int) -> None:
        if row >= 0 and self.session.job is not None and row != self.session.index:
            self.session.show_round(row)

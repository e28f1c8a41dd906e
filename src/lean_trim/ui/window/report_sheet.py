"""What a report for support holds, to be read before it is written."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontDatabase
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.diagnostics.support import JOB_NAME, Report
from lean_trim.ui.widgets.page import running_text

ABOUT = (
    "Nothing is sent: the report is a file that you send yourself. Folders, files, your name and "
    "names of cars and logs stand in it as tokens, such as <file 1>."
)
WITH_JOB = "“Put drive data into reports” is on: the whole job goes along as it is, with its logs and names."
LIST_W = 190
SIZE = (860, 520)


class ReportSheet(QDialog):
    """Shows each file of the report; ``wanted`` is told the report once it is to be written."""

    wanted = Signal(object)

    def __init__(self, report: Report, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.report = report
        self.setWindowTitle("What the report holds")
        self.resize(*SIZE)
        self.names = QListWidget(self)
        self.names.addItems(list(report.names))
        self.names.setFixedWidth(LIST_W)
        self.names.setAccessibleName("Files of the report")
        self.text = QPlainTextEdit(self)
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.text.setAccessibleName("The file that is chosen")
        self.write = QPushButton("Write it…", self)
        self.write.setObjectName("primary")
        self.leave = QPushButton("Not now", self)
        middle = QHBoxLayout()
        middle.addWidget(self.names)
        middle.addWidget(self.text, 1)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.leave)
        buttons.addWidget(self.write)
        layout = QVBoxLayout(self)
        layout.addWidget(running_text(9.5, ABOUT))
        if report.job is not None:
            layout.addWidget(running_text(9.5, WITH_JOB))
        layout.addLayout(middle, 1)
        layout.addLayout(buttons)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.names.currentTextChanged.connect(self._show)
        self.write.clicked.connect(self._write)
        self.leave.clicked.connect(self.close)
        self.names.setCurrentRow(0)

    def _show(self, name: str) -> None:
        held = "The job file: table, decisions and logs, as they are."
        self.text.setPlainText(held if name == JOB_NAME else self.report.texts[name])

    def _write(self) -> None:
        self.close()
        self.wanted.emit(self.report)

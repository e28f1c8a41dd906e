"""What can be done with a log of a round, as a menu: for the Logs page and for the Round menu."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from lean_trim.job.round_logs import find_log
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.label import plain_tip

FILTERS = {"MDF4 (*.mf4)": ".mf4", "CSV (*.csv)": ".csv"}
Replace = Callable[[int, int], None]
"""Asks for a file that takes the place of a log; called with round and log id."""


def fill_log_menu(menu: QMenu, session: Session, log_id: int, replace: Replace) -> None:
    """Offer what can be done with one log of the shown round.

    Parameters
    ----------
    menu : filled anew.
    session : with an open job.
    log_id : a log of the shown round, counting or resting.
    replace : asks for the file that takes its place.
    """
    menu.clear()
    current = session.round
    job = session.job
    if current is None or job is None:
        return
    logs = session.logs
    round_id = current.id
    rests = any(x.info.id == log_id for x in current.resting)

    def add(text: str, tip: str, run: Callable[[], object]) -> None:
        action = menu.addAction(text)
        action.setToolTip(plain_tip(tip))
        action.triggered.connect(lambda: run())

    menu.setToolTipsVisible(True)
    if rests:
        add("Let it count again", "Solve with it again", lambda: logs.count_again(round_id, log_id))
    else:
        tip = "It stays in the round and does not count; what was marked on it is kept"
        add("Leave it out", tip, lambda: logs.leave_out(round_id, log_id))
    add("Replace it by a file…", "Another file takes its place", lambda: replace(round_id, log_id))
    add(
        "Write it as MDF4 or CSV…",
        "Every channel of it, as the job keeps it, for other programs",
        lambda: _write(menu, session, log_id),
    )
    others = [r for r in job.rounds if r.id != round_id]
    move = menu.addMenu("Move it to")
    move.setEnabled(bool(others))
    for other in others:
        action = move.addAction(f"Round {other.number}")
        action.triggered.connect(
            lambda _=False, target=other.id: logs.move(round_id, log_id, target)
        )
    menu.addSeparator()
    add(
        "Remove it",
        "Take it out of the job; undo brings it back",
        lambda: logs.remove(round_id, log_id),
    )


def _write(parent: QWidget, session: Session, log_id: int) -> None:
    """Ask where, and write a log."""
    current = session.round
    found = None if current is None else find_log(current, log_id)
    if found is None:
        return
    wanted = f"{found.info.name.split('.')[0]}.mf4"
    beside = session.open.path
    folder = Path.home() if beside is None else beside.parent
    path, chosen = QFileDialog.getSaveFileName(
        parent.window(), "Write the log", str(folder / wanted), ";;".join(FILTERS)
    )
    if path:
        target = Path(path)
        # A name without an ending gets the one of the kind that was chosen beside it.
        ending = FILTERS.get(chosen, ".mf4") if not target.suffix else target.suffix
        session.log_export.write(found.log, target.with_suffix(ending))


def fill_logs_menu(menu: QMenu, session: Session, replace: Replace) -> None:
    """A submenu for every log of the shown round.

    Parameters
    ----------
    menu : filled anew.
    session : with or without a job.
    replace : asks for the file that takes a log's place.
    """
    menu.clear()
    current = session.round
    infos = () if current is None else (*current.log_infos, *(x.info for x in current.resting))
    if not infos or not session.can_save:
        menu.addAction("No log in this round" if not infos else "Only to look at").setEnabled(False)
        return
    for info in infos:
        fill_log_menu(menu.addMenu(info.name), session, info.id, replace)

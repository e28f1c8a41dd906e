"""The tape by keyboard: arrows move the spot, Shift chooses a stretch, Up and Down zoom."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

from lean_trim.ui.tape.tape_view import TapeView

FINE_SHARE = 0.01
COARSE_SHARE = 0.1
"""How far an arrow moves the spot, of what is shown; the larger step with Ctrl."""
PAGE_SHARE = 0.5
ZOOM = 0.7
MOVES = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}
ZOOMS = {
    Qt.Key.Key_Up: ZOOM,
    Qt.Key.Key_Plus: ZOOM,
    Qt.Key.Key_Down: 1.0 / ZOOM,
    Qt.Key.Key_Minus: 1.0 / ZOOM,
}
PAGES = {Qt.Key.Key_PageUp: -PAGE_SHARE, Qt.Key.Key_PageDown: PAGE_SHARE}


def press(tape: TapeView, event: QKeyEvent) -> bool:
    """Do what a key means on the tape.

    Parameters
    ----------
    tape : with a log or without.
    event : the key.

    Returns
    -------
    False if it means nothing here.
    """
    if tape.data is None:
        return False
    key = Qt.Key(event.key())
    width = tape.end_s - tape.start_s
    if key in MOVES:
        modifiers = event.modifiers()
        coarse = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        step = MOVES[key] * (COARSE_SHARE if coarse else FINE_SHARE) * width
        _move(tape, step, bool(modifiers & Qt.KeyboardModifier.ShiftModifier))
    elif key in ZOOMS:
        at = _spot(tape)
        tape.look_at(at - (at - tape.start_s) * ZOOMS[key], at + (tape.end_s - at) * ZOOMS[key])
    elif key in PAGES:
        tape.look_at(tape.start_s + PAGES[key] * width, tape.end_s + PAGES[key] * width)
    elif key == Qt.Key.Key_Home:
        tape.show_all()
    elif key == Qt.Key.Key_Escape:
        tape.session.selection.clear()
    else:
        return False
    return True


def _spot(tape: TapeView) -> float:
    """Where the keyboard stands: the spot, or the middle where it is out of sight."""
    at = tape.spot_s
    if at is not None and tape.start_s <= at <= tape.end_s:
        return at
    return (tape.start_s + tape.end_s) / 2


def _move(tape: TapeView, step_s: float, choose: bool) -> None:
    """Move the spot, with the strip where it would leave it; choose what lies between where asked."""
    assert tape.data is not None
    before = _spot(tape)
    at = min(max(before + step_s, tape.data.start_s), tape.data.end_s)
    if choose:
        tape.anchor_s = before if tape.anchor_s is None else tape.anchor_s
    else:
        tape.anchor_s = None
    tape.spot_s = at
    beyond = at - tape.end_s if at > tape.end_s else at - tape.start_s if at < tape.start_s else 0.0
    if beyond:
        tape.look_at(tape.start_s + beyond, tape.end_s + beyond)
    if choose and tape.anchor_s is not None:
        tape.choose(tape.anchor_s, at)
    tape.tell_spot()
    tape.update()

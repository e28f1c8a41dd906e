"""Deciding as a user does who has looked at what is asked: the word that a change may need is given."""

from __future__ import annotations

from lean_trim.workspace.deciding import Deciding


def accept_knowingly(
    deciding: Deciding, cells: frozenset[int] | None = None, share: float = 1.0
) -> bool:
    """Accept the proposal, and confirm it where that is asked."""
    return deciding.accept(cells, share) or deciding.confirm()


def type_knowingly(deciding: Deciding, text: str, cells: frozenset[int]) -> bool:
    """Type over cells, and confirm it where that is asked."""
    return deciding.type_in(text, cells) or deciding.confirm()

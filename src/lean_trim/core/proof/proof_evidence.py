"""What a proof says."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trim.core.data.channels import Role
from lean_trim.core.messages import Said

Verdict = Literal["agrees", "contradicts", "cannot tell"]


@dataclass(frozen=True)
class Proof:
    """What one comparison says of one channel.

    Attributes
    ----------
    role : of the channel.
    verdict : whether its readings are what the engine must have had.
    said : the comparison with its figure, in words.
    misfit : how far off, in shares of what is expected, by which readings are chosen; NaN where it
        cannot tell.
    agrees : misfit up to which it agrees; its measure of how far off the others are.
    """

    role: Role
    verdict: Verdict
    said: Said
    misfit: float = float("nan")
    agrees: float = float("nan")


def judged(role: Role, said: Said, misfit: float, agrees: float, contradicts: float) -> Proof:
    """A proof by the size of a misfit.

    Parameters
    ----------
    role : of the channel.
    said : the comparison with its figure.
    misfit : 0 where readings are as expected.
    agrees : up to this it agrees.
    contradicts : from this it contradicts; between the two it cannot tell.

    Returns
    -------
    The proof.
    """
    if not misfit >= 0.0:
        return Proof(role, "cannot tell", said)
    verdict: Verdict = (
        "agrees" if misfit <= agrees else "contradicts" if misfit >= contradicts else "cannot tell"
    )
    return Proof(role, verdict, said, misfit, agrees)

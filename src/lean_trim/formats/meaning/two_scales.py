"""Lambda and its target on different scales of one fuel: a question of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trim.core.data.channels import LABELS, Role, in_words
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.proof.mixture import prove_target
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.meaning.unit_check import FUEL_SCALE, PETROL_AFR, SAME_SCALE
from lean_trim.formats.meaning.units import AFR_SCALE, show_unit, tidy_unit


class Say:
    """Sentences of this module."""

    APART = Message(
        "two_scales.apart",
        "{label} is read in {own} and {other_label} in {other}, which are {apart:.1f} % apart; is "
        "that so, or is {label} in {other} too{fits}?",
    )
    FITS = Message("two_scales.fits", " ({said})")


MIXTURES = (Role.LAMBDA, Role.TARGET)


def with_scale_doubt(
    log: Log, matches: Sequence[Match], vehicle: Vehicle, choices: Choices
) -> list[Match]:
    """Ask where lambda and its target are read on two scales of one fuel.

    Nothing is asked where the engine's physics bears out both, or the user named both.

    Parameters
    ----------
    log : as the matches read it.
    matches : with their proofs.
    vehicle : whose log it is.
    choices : the user's word.

    Returns
    -------
    The matches, one of the two with a doubt where there is one.
    """
    mixtures = {m.role: m for m in matches if m.role in MIXTURES}
    scales = {role: _afr_of(m.unit, vehicle.stoich_afr) for role, m in mixtures.items()}
    if len(mixtures) < len(MIXTURES) or not all(scales.values()):
        return list(matches)
    apart = max(scales.values()) / min(scales.values()) - 1.0
    said = {role: _unit_said(m, choices) for role, m in mixtures.items()}
    if apart <= SAME_SCALE or all(said.values()) or all(map(_borne_out, mixtures.values())):
        return list(matches)
    # What the user named, or physics bears out, is not what is asked about.
    sure = {role: said[role] or _borne_out(m) for role, m in mixtures.items()}
    asked = Role.LAMBDA if sure[Role.TARGET] and not said[Role.LAMBDA] else Role.TARGET
    asked = asked if not said[asked] else _other(asked)
    return [
        _asked(m, mixtures[_other(asked)], scales, log, vehicle) if m.role is asked else m
        for m in matches
    ]


def _afr_of(unit: str, stoich_afr: float) -> float:
    """The ratio a scale takes for stoichiometric; 0 of what is no AFR."""
    if unit == FUEL_SCALE:
        return stoich_afr
    found = AFR_SCALE.fullmatch(tidy_unit(unit))
    if not found:
        return 0.0
    return float(found[1]) if found[1] else PETROL_AFR


def _asked(
    match: Match, other: Match, scales: dict[Role, float], log: Log, vehicle: Vehicle
) -> Match:
    if match.doubt:
        return match
    fits = ""
    if match.role is Role.TARGET:
        moved = log[Role.TARGET] * scales[Role.TARGET] / scales[Role.LAMBDA]
        channels = {**log.channels, Role.TARGET: moved}
        proofs = prove_target(replace(log, channels=channels), vehicle)
        fits = str(Say.FITS(said=proofs[0].said)) if proofs else ""
    doubt = Say.APART(
        label=LABELS[match.role][0],
        own=_shown(match.unit, vehicle),
        other_label=in_words(other.role),
        other=_shown(other.unit, vehicle),
        apart=100.0 * (max(scales.values()) / min(scales.values()) - 1.0),
        fits=fits,
    )
    return replace(
        match,
        doubt=str(doubt),
        confidence=min(match.confidence, 0.4),
        choices=(match.unit, other.unit),
    )


def _shown(unit: str, vehicle: Vehicle) -> str:
    return f"AFR of this fuel ({vehicle.stoich_afr:g})" if unit == FUEL_SCALE else show_unit(unit)


def _other(role: Role) -> Role:
    return Role.TARGET if role is Role.LAMBDA else Role.LAMBDA


def _unit_said(match: Match, choices: Choices) -> bool:
    words = (choices.columns.get(c.name) for c in match.columns)
    return any(word is not None and bool(word.unit) for word in words)


def _borne_out(match: Match) -> bool:
    return bool(match.proofs) and all(p.verdict == "agrees" for p in match.proofs)

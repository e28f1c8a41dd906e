"""Words and figures of the evidence page."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.explore.adding_up import Part, Visit
from lean_trim.core.explore.scorecard import REGION_WORDS, Score
from lean_trim.core.explore.visit_states import VisitStates
from lean_trim.core.sieve.sieve import MANUAL, RULES, Sifted
from lean_trim.core.text import cells_in_words, clock, signed
from lean_trim.workspace.trying_without import WithoutIt

MOST_REASONS = 6
SHORT_S = 0.1
"""A visit that is shorter is a brush with the cell's edge, and there are hundreds of them."""


def visits_heading(visits: list[Visit], listed: list[Visit], solved: bool) -> str:
    """What stands above the list: how many visits, and what the short ones that are not listed add."""
    if not visits:
        return "No visit: nothing was measured here" if solved else ""
    brushes = visits if not listed else [v for v in visits if v.seconds < SHORT_S]
    short = (
        f"{len(brushes)} shorter than {SHORT_S:g} s, {sum(v.seconds for v in brushes):.2f} s in all"
    )
    if not listed:
        return f"Only brushed: {short}"
    count = f"{len(listed)} visits" if len(listed) != 1 else "1 visit"
    more = f"; {short}" if brushes else ""
    return f"{count}: when, how long, as measured{more}"


def adding(parts: Sequence[Part]) -> list[str]:
    """Figures with one decimal that add up to their sum with one decimal.

    Parameters
    ----------
    parts : lines that add up.

    Returns
    -------
    One text a line; what rounding leaves over goes to the largest.
    """
    rounded = [round(p.pct, 1) for p in parts]
    left = round(sum(p.pct for p in parts), 1) - sum(rounded)
    at = max(range(len(parts)), key=lambda i: abs(parts[i].pct))
    rounded[at] += left
    return [signed(x) for x in rounded]


def time_spent(sifted: Sifted) -> list[tuple[str, float]]:
    """Seconds used, then those left out by reason, longest first; rules that are switched off take nothing.

    Returns label and seconds; one sample may count for several reasons.
    """
    durations = sifted.conditions.frame.log.durations_s
    labels = {
        r.name: r.label for r in RULES if not r.marks and r.name not in sifted.settings.disabled
    }
    labels[MANUAL] = "Left out by hand"
    taken = [(sifted.seconds.get(name, 0.0), label) for name, label in labels.items()]
    longest = sorted(((s, label) for s, label in taken if s >= 1.0), reverse=True)
    used = float(durations[sifted.used].sum())
    return [("Used", used), *((label, s) for s, label in longest[:MOST_REASONS])]


VISIT_TIP = (
    "Choose it: the tape shows it, and what changes without it is worked out; Ctrl+D leaves it out"
)


def apart_words(states: VisitStates) -> str:
    """Which visits ask for something else than the others.

    Parameters
    ----------
    states : of the visits.

    Returns
    -------
    A sentence, "" where none does.
    """
    places = np.flatnonzero(states.apart)
    if not len(places):
        return ""
    named = ", ".join(
        f"{clock(states.visits[p].start_s)} ({signed(float(states.asked_pct[p]))} %)"
        for p in places[:MOST_NAMED]
    )
    more = f" and {len(places) - MOST_NAMED} more" if len(places) > MOST_NAMED else ""
    verb = "stands" if len(places) == 1 else "stand"
    return f"{len(places)} {verb} apart, ringed: {named}{more}."


MOST_NAMED = 3
MOVED_PCT = 0.1
"""A cell that moves by less is not counted, percent points."""


def without_words(found: WithoutIt, estimate: Estimate, cells: Sequence[int]) -> str:
    """What changes without a stretch: here, and elsewhere.

    Parameters
    ----------
    found : without it.
    estimate : with it.
    cells : that are chosen.

    Returns
    -------
    One or two sentences.
    """
    here = list(cells)
    now = float(np.nanmean(found.asked_pct[here]))
    error = float(np.nanmean(found.error_pct[here]))
    was = float(np.nanmean(estimate.correction_pct.ravel()[here]))
    text = f"Without it: asked {signed(now)} ± {error:.1f} % here, now {signed(was)} %."
    moved = np.abs(found.moved_pct)
    moved[here] = 0.0
    others = int((moved >= MOVED_PCT).sum())
    if others:
        text += f" {cells_in_words(others)} elsewhere move by up to {moved.max():.1f} %."
    return f"{text} Ctrl+D leaves it out."


SCORE_TIP = (
    "By region, over the cells that were driven, each counted once: how far they are off (rms), the share "
    "within ±1, ±3 and ±5 %, and the cell that was furthest on the lean side. Full throttle and idle are "
    "where they were mostly driven so, boost is above atmospheric pressure. Tip-in: cells beside quick "
    "openings of the throttle, which count in their own region too. Trims: applied, rms by time."
)


def scores_markup(scores: Sequence[Score], faint: str) -> str:
    """How a drive stands by region, as a small table.

    Parameters
    ----------
    scores : of the drive.
    faint : colour of the heads, #rrggbb.

    Returns
    -------
    Markup of ours; "" without scores.
    """
    if not scores:
        return ""
    heads = ("", "s", "off", "±1", "±3", "±5", "lean", "trims")
    rows = [
        (
            REGION_WORDS[s.region],
            f"{s.seconds:.0f}",
            f"{s.rms_pct:.1f}",
            *(f"{share:.0f}" for share in s.within_pct),
            signed(s.worst_lean_pct) if s.worst_lean_pct > 0.0 else "–",
            f"{s.trim_rms_pct:.1f}" if np.isfinite(s.trim_rms_pct) else "–",
        )
        for s in scores
    ]
    top = "".join(f"<td align='right' style='color:{faint}'>{h}</td>" for h in heads)
    lines = "".join(
        "<tr>"
        + "".join(
            f"<td align='{'left' if i == 0 else 'right'}'>{cell}</td>" for i, cell in enumerate(row)
        )
        + "</tr>"
        for row in rows
    )
    return (
        "<p style='margin-bottom:2px'><span style='font-weight:600'>By region, %</span></p>"
        f"<table cellspacing='4'><tr>{top}</tr>{lines}</table>"
    )

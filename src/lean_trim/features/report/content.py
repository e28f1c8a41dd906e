"""What a report says, in order, without how it looks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim import __version__
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.regions import USUAL_KPA, boosted
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.explore.scorecard import REGION_WORDS, Score, scorecard
from lean_trim.core.pipeline.pulls import pulls_of
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.planning.readiness import ITEMS
from lean_trim.core.proving.proof import Proof
from lean_trim.core.pulls.pull_verdict import verdict_on_pull
from lean_trim.core.text import clock
from lean_trim.core.types import Floats
from lean_trim.features.proof.control import trend_of
from lean_trim.job.records import Job, Round
from lean_trim.workspace.notes import IN_REPORT, KIND, notes_in

CAUTION = (
    "Lean at load destroys engines. What is written here was reckoned from logs; it is no permission. Local "
    "rules of road, workshop and emissions stand above it, and so does whoever answers for the engine."
)
TINTS = "Warm cells hold more than before, cool ones less; a dot is no change."
LEAST_BOOST_S = 3.0
"""Driving in boost below which it is not covered."""
MOST_PULLS = 12
MOST_FINDINGS = 12


@dataclass(frozen=True)
class Facts:
    """Names and values beside each other."""

    rows: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Lines:
    """Sentences below each other."""

    texts: tuple[str, ...]


@dataclass(frozen=True)
class Rows:
    """A small table; the first column is words, the others are figures."""

    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True, eq=False)
class Grid:
    """A table's cells, tinted by how they changed.

    Attributes
    ----------
    table : with the axes.
    texts : of the cells, in its shape.
    change_pct : by cell, in its shape.
    """

    table: Table
    texts: np.ndarray
    change_pct: Floats


Block = Facts | Lines | Rows | Grid


@dataclass(frozen=True)
class Section:
    """A heading with what stands below it."""

    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True)
class Report:
    """Title, one line below it, and sections."""

    title: str
    under: str
    sections: tuple[Section, ...]


def report_of(
    job: Job,
    current: Round,
    solution: Solution | None,
    proposal: Proposal | None,
    proof: Proof | None,
) -> Report:
    """The report of a round.

    Parameters
    ----------
    job : of the round.
    current : the round.
    solution, proposal : of its drive, None where it could not be worked out.
    proof : of the round before, by that drive; None where there is none.

    Returns
    -------
    What it says.
    """
    sections = [
        Section("Vehicle", (_vehicle(job),)),
        Section("Result", _result(current, solution, proof)),
        Section("Rounds", (_rounds(job),)),
    ]
    if solution is not None:
        sections.append(Section("This drive by region", (_scores(scorecard(solution)),)))
    sections += _tables(job, current)
    sections.append(Section("Full-throttle runs", (_pulls(solution),)))
    sections.append(Section("Injectors, sensor and wall film", (_engine(job, current, solution),)))
    sections.append(Section("Findings", (_findings(solution),)))
    sections.append(Section("Not covered, not proven", (_left(solution, proposal, proof),)))
    words = _words(current)
    if words is not None:
        sections.append(Section("Before the drive", (words,)))
    noted = _notes(job, current)
    if noted is not None:
        sections.append(Section("Notes", (noted,)))
    sections.append(Section("Caution", (Lines((CAUTION,)),)))
    return Report(
        title=f"{job.vehicle.name}: round {current.number}",
        under=f"{_day(current.started)}, Lean Trim {__version__}",
        sections=tuple(sections),
    )


def _day(iso: str) -> str:
    return iso[:10]


def _number(value: float, unit: str = "", decimals: int = 1, sign: bool = False) -> str:
    if not np.isfinite(value):
        return "–"
    text = f"{value:+.{decimals}f}" if sign else f"{value:.{decimals}f}"
    return f"{text} {unit}".rstrip()


def _vehicle(job: Job) -> Facts:
    v = job.vehicle
    flow = v.injectors.flow_g_per_s
    breathes = "" if v.induction == "unknown" else f", {v.induction}"
    return Facts(
        (
            ("Vehicle", v.name),
            ("Engine", f"{v.displacement_l:g} L, {v.cylinders} cylinders{breathes}"),
            ("Fuel", f"stoichiometric air-fuel ratio {v.stoich_afr:g}"),
            ("Airflow", f"{v.table.name or v.airflow}, feedback: {v.feedback}"),
            (
                "Injectors",
                "not known" if np.isnan(flow) else f"{flow:.2f} g/s each at rated pressure",
            ),
        )
    )


def _result(current: Round, solution: Solution | None, proof: Proof | None) -> tuple[Block, ...]:
    lines = []
    if proof is not None:
        lines = [str(proof.took_said), str(proof.outcome_said), f"Next: {proof.next_said}"]
        lines += [str(said) for said in proof.beside]
    elif solution is not None:
        lines.append(
            f"The table as it was driven was off by {solution.residual.rms:.1f} % rms in "
            f"{solution.residual.cells} cells; nothing was proved before this round."
        )
    else:
        lines.append("This round has no drive that could be worked out.")
    dangers = [] if solution is None else [f for f in solution.findings if f.severity == "danger"]
    lines = [*(f"Danger: {f.message}" for f in dangers), *lines]
    if current.changed:
        lines.append(f"{current.changed} cells are decided in this round.")
    handed = f"Handed over: {current.handed_over}." if current.handed_over else "Not handed over."
    return (Lines((*lines, handed)),)


def _rounds(job: Job) -> Rows:
    trend = {p.number: p for p in trend_of(job)}
    rows = []
    for r in job.rounds:
        p = trend.get(r.number)
        nan = float("nan")
        rows.append(
            (
                f"{r.number}",
                _day(r.started),
                _number(nan if p is None else p.rms_pct),
                _number(nan if p is None else p.within_3_pct, decimals=0),
                _number(nan if p is None else p.worst_lean_pct, sign=True),
                _number(nan if p is None else p.trim_rms_pct),
                f"{r.changed}",
                "–" if p is None else f"{p.flashes}",
            )
        )
    head = (
        "round",
        "begun",
        "off by, % rms",
        "within ±3 %, % of cells",
        "leanest, %",
        "trims, % rms",
        "cells decided",
        "flashes so far",
    )
    return Rows(head, tuple(rows))


def _scores(scores: Sequence[Score]) -> Rows:
    head = (
        "region",
        "s used",
        "cells",
        "off by, % rms",
        "within ±3 %, % of cells",
        "leanest, %",
        "trims, % rms",
    )
    rows = [
        (
            REGION_WORDS[s.region],
            _number(s.seconds, decimals=0),
            f"{s.cells}",
            _number(s.rms_pct),
            _number(s.within_pct[1], decimals=0),
            _number(s.worst_lean_pct, sign=True),
            _number(s.trim_rms_pct),
        )
        for s in scores
    ]
    return Rows(head, tuple(rows))


def _tables(job: Job, current: Round) -> list[Section]:
    """The table under correction at the beginning and now, in the ECU's own numbers."""
    base = job.rounds[0]
    # On other axes, or another scale, cell stands no more beside cell.
    same = base.subject == current.subject and base.table.same_axes(current.table)
    first = base if same and job.same_injectors(base, current) else current
    before = first.table
    after = current.result
    change = 100.0 * (current.result_as_driven.values / before.values - 1.0)
    began = f"as driven in round {first.number}"
    ends = f"as decided in round {current.number}"
    name = before.name or current.subject.upper()
    unit = before.own.unit if before.own is not None else before.unit
    if len(before.axes) == 1:
        axis = before.axes[0]
        rows = tuple(
            (f"{x:g}", f"{a:.2f}", f"{b:.2f}", _number(float(c), sign=True) if c else "·")
            for x, a, b, c in zip(axis.shown, before.shown, after.shown, change, strict=True)
        )
        head = (f"{axis.name}, {axis.shown_unit}", f"before, {unit}", f"after, {unit}", "change, %")
        return [Section(f"{name}: {began}, and {ends}", (Rows(head, rows),))]
    decimals = 1 if np.nanmax(after.shown) < 1000.0 else 0
    shown = (
        (f"{name} {began}, {unit}", before.shown, np.zeros(before.shape)),
        (f"{name} {ends}, {unit}", after.shown, change),
    )
    sections = [
        Section(title, (Grid(before, np.vectorize(lambda v: f"{v:.{decimals}f}")(values), tint),))
        for title, values, tint in shown
    ]
    words = np.vectorize(lambda v: "·" if abs(v) < 0.05 else f"{v:+.1f}")(change)
    title = f"{name}: change from round {first.number} on, %"
    sections.append(Section(title, (Grid(before, words, change), Lines((TINTS,)))))
    return sections


def _pulls(solution: Solution | None) -> Block:
    if solution is None:
        return Lines(("Not looked at: the drive could not be worked out.",))
    found = pulls_of(solution.prepared.conditions, seen=solution.seen).pulls
    if not found:
        return Lines(("None in this drive: full throttle is not proven.",))
    rows = [
        (
            clock(p.start_s),
            p.kind,
            f"{p.rpm_from:.0f} to {p.rpm_to:.0f}",
            _number(p.lambda_mean_pct, sign=True),
            _number(p.lambda_lean_pct, sign=True),
            _number(p.duty_pct, decimals=0),
            _number(p.knock_deg),
            str(verdict_on_pull(p)),
        )
        for p in found[:MOST_PULLS]
    ]
    head = ("at, min", "kind", "rpm", "λ, mean %", "leanest, %", "duty, %", "knock, °", "verdict")
    return Rows(head, tuple(rows))


def _engine(job: Job, current: Round, solution: Solution | None) -> Block:
    rows = []
    if solution is not None:
        delay = solution.delay
        how = "read from the log" if delay.estimated else "as assumed"
        rows.append(("Sensor delay", f"{how}: {delay.settings.sensor_s:.2f} s and the gas's way"))
        film = solution.estimate.of(Term.FILM)
        if film is not None:
            rows.append(
                (
                    "Wall film",
                    f"share {film.value:.2f} ± {film.std_error:.2f}, {solution.film.tau_s:.2f} s",
                )
            )
    index = job.index_of(current.id)
    assert index is not None
    injectors = job.vehicle_in(index).injectors
    dead = ", ".join(
        f"{d:.2f} ms at {v:g} V"
        for v, d in zip(injectors.volts, injectors.dead_time_ms, strict=True)
    )
    rows.append(("Dead time in the ECU", dead or "not known"))
    return Facts(tuple(rows))


def _findings(solution: Solution | None) -> Block:
    if solution is None or not solution.findings:
        return Lines(("Nothing that is not airflow was found.",))
    return Lines(tuple(f"{f.severity}: {f.message}" for f in solution.findings[:MOST_FINDINGS]))


def _left(solution: Solution | None, proposal: Proposal | None, proof: Proof | None) -> Block:
    if solution is None or proposal is None:
        return Lines(("Nothing of this round is proven.",))
    estimate = solution.estimate
    known = int(estimate.supported.sum())
    size = estimate.table.size
    others = "; all others were kept, or filled from their neighbours, and are not proven"
    lines = [f"{known} of {size} cells rest on driving{others if known < size else ''}."]
    filled = int((proposal.status == "filled").sum())
    if filled:
        lines.append(f"{filled} cells were filled where nobody drove.")
    if proof is not None:
        lines += [str(said) for said in proof.beside if said.id == "proof.undriven"]
    boost = [s for s in scorecard(solution) if s.region is not None and str(s.region) == "boost"]
    has_boost = bool(boosted(estimate.table, USUAL_KPA).any())
    if has_boost and (not boost or boost[0].seconds < LEAST_BOOST_S):
        lines.append("Boost was not driven, or for less than three seconds.")
    return Lines(tuple(lines))


def _words(current: Round) -> Block | None:
    """What was answered before the drive, with the day."""
    titles = {item.key: item.words for item in ITEMS}
    told = [
        (titles[key], f"{word.text}, {_day(word.written)}")
        for (kind, key), word in current.words.items()
        if kind == "check" and key in titles
    ]
    return Facts(tuple(told)) if told else None


def _notes(job: Job, current: Round) -> Block | None:
    """Notes on the round, its cells and stretches, where the user lets the report have them."""
    index = job.index_of(current.id)
    ticked = current.words.get((KIND, IN_REPORT))
    if ticked is None or ticked.text != "yes":
        return None
    found = tuple(note.said for note in notes_in(job) if note.index == index)
    return Lines(found) if found else None

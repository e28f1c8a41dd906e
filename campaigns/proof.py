"""A round judged by the next drive: which table is in the ECU, what became of it, and when to stop."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.plan import WARM_C, planned_car, rms_off, users_states
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.proving import prove
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import evidence_of, places_of, summary_of
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.proving.proof import Proof
from lean_trim.core.proving.transfer import Written
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar

COUNT = 40
DRIVES = 2
"""Drives of each car that prove its round."""
MORE_DRIVES = 2
"""Further drives on the table as it was written."""
MINUTES = 4.0
FIRST_MINUTES = 10.0
LEAST_WRITTEN_PCT = 3.0
"""Rms of the written step from which a transfer counts."""
ROWS_KPA = 60.0
"""Of a transfer that took in part only rows above this were written."""
CHAINS = 24
CHAIN_CARS_FROM = 40
ROUNDS = 5
PAID_PCT = 0.1
"""A step paid if it took so much off the true error, percent rms."""
KINDS = ("whole", "none", "half", "part", "other", "unknown")
ROUTES = ("with pulse width", "without")
WIDTHS = (Role.PULSE_WIDTH, Role.DUTY)


def _prepare(folder: Path) -> object:
    return None


def corrected(
    log: Log, vehicle: Vehicle, earlier: Sequence[Earlier] = ()
) -> tuple[Solution, Proposal]:
    """A round as the program works it out, with the drives before it."""
    solution = solve([log], vehicle, earlier=earlier)
    return solution, propose_for(summary_of(solution), PolicySettings())


def written_by(solution: Solution, proposal: Proposal) -> Written:
    """What a round hands over."""
    estimate = solution.estimate
    return Written(
        before=estimate.table,
        after=proposal.table,
        asked_pct=estimate.correction_pct,
        error_pct=estimate.own_error_pct,
        seconds=estimate.seconds,
        means=places_of(solution),
    )


def bent(table: Table, seed: int, size: float = 0.05) -> Table:
    """A table that differs smoothly, by about so much."""
    rng = np.random.default_rng(seed)
    rows, columns = (np.linspace(0.0, 1.0, n) for n in table.shape)
    field = np.zeros(table.shape)
    for i in range(3):
        for j in range(3):
            wave = np.cos(np.pi * (i * rows[:, None] + j * columns[None, :]))
            field += 0.5 * rng.normal() * wave
    return table.with_values(table.values * np.exp(size * field))


def in_ecu(written: Written, seed: int) -> dict[str, Table]:
    """What may have become of a transfer."""
    before = written.before
    above = (before.axes[0].points > ROWS_KPA)[:, None]
    middle = 0.5 * (before.values + written.after.values)
    return {
        "whole": written.after,
        "none": before,
        "half": before.with_values(middle),
        "part": before.with_values(np.where(above, written.after.values, before.values)),
        "other": bent(before, seed),
        "unknown": bent(before, seed + 10_000),
    }


def _trial(folder: Path, seed: int) -> Trial:
    car = planned_car(seed // DRIVES)
    first = simulate(car.vehicle, car.seed, FIRST_MINUTES, car.truth)
    written = written_by(*corrected(first, car.vehicle))
    warm = replace(car.truth, start_coolant_c=WARM_C, soak_k=0.0)
    tables = in_ecu(written, car.seed)
    told: dict[str, dict[str, object]] = {route: {} for route in ROUTES}
    words = []
    for extra in range(MORE_DRIVES):
        log = simulate(
            car.vehicle.with_table(tables["whole"]),
            car.seed + 5077 + 1000 * (DRIVES * extra + seed % DRIVES),
            MINUTES,
            warm,
        )
        for route in ROUTES:
            seen = log if route == ROUTES[0] else _without(log)
            words.append(_proved(written, seen, car.vehicle, {}).whole.word)
    for kind, table in tables.items():
        drive_seed = car.seed + 77 + 1000 * (seed % DRIVES)
        log = simulate(car.vehicle.with_table(table), drive_seed, MINUTES, warm)
        for route in ROUTES:
            seen = log if route == ROUTES[0] else _without(log)
            proof = _proved(written, seen, car.vehicle, {"the one of last year": tables["other"]})
            told[route][kind] = {
                "told": proof.transfer.kind,
                "step": proof.transfer.step_pct,
                "word": proof.whole.word,
            }
    chain = _chain(planned_car(CHAIN_CARS_FROM + seed)) if seed < CHAINS else None
    return {"car": car.seed, "told": told, "words": words, "chain": chain}


def _without(log: Log) -> Log:
    channels = {role: values for role, values in log.channels.items() if role not in WIDTHS}
    return Log(log.time_s, channels, log.name)


def _proved(written: Written, log: Log, vehicle: Vehicle, others: dict[str, Table]) -> Proof:
    assumed = vehicle.with_table(written.after)
    try:
        solution, proposal = corrected(log, assumed)
    except TooFewError as refused:
        return prove(written, refused, None, others)
    return prove(written, solution, proposal, others)


def _chain(car: FleetCar) -> list[dict[str, object]] | None:
    """Ordinary rounds one after the other: what each says of stopping, and how far the table was off."""
    users = users_states(car)
    warm = replace(car.truth, start_coolant_c=WARM_C, soak_k=0.0)
    vehicle = car.vehicle
    earlier: list[Earlier] = []
    written: Written | None = None
    out: list[dict[str, object]] = []
    for number in range(1, ROUNDS + 1):
        truth = car.truth if number == 1 else warm
        log = simulate(vehicle, car.seed + 300 * number, FIRST_MINUTES, truth)
        try:
            solution, proposal = corrected(log, vehicle, earlier)
        except (TooFewError, BadInputError):
            return None
        proof = None if written is None else prove(written, solution, proposal)
        lasting = (solution.residual.seconds >= 3.0) & np.isfinite(solution.residual.gap_pct)
        out.append(
            {
                "off": rms_off(vehicle.table, car, users),
                "stops": bool(proof is not None and proof.stops),
                "worst": float(np.abs(solution.residual.gap_pct[lasting]).max(initial=0.0)),
            }
        )
        written = written_by(solution, proposal)
        earlier.append(Earlier(number, evidence_of(solution)))
        vehicle = vehicle.with_table(proposal.table)
    out.append({"off": rms_off(vehicle.table, car, users), "stops": True, "worst": 0.0})
    return out


def stopped(chain: Sequence[dict[str, float]]) -> str:
    """Whether a chain stopped at the right round: "early", "late" or "right"."""
    offs = [r["off"] for r in chain]
    at = next(i for i, r in enumerate(chain) if r["stops"])
    # A later step that would have paid was not written.
    if offs[at] - min(offs[at:]) > PAID_PCT:
        return "early"
    # The round before could have stopped: its step did not pay, nor did any after it.
    could = next(i for i in range(1, len(offs)) if offs[i] - min(offs[i:]) <= PAID_PCT)
    return "late" if at > could + 1 else "right"


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        f"Random cars, {FIRST_MINUTES:g} ordinary minutes corrected and written, then {MINUTES:g} minutes "
        f"with one of these in the ECU: all that was written, the table before, half of every step, only "
        f"rows above {ROWS_KPA:g} kPa, another known table, a table nobody knows. Counted where the written "
        f"step was at least {LEAST_WRITTEN_PCT:g} % rms where the drive was steady; wrong is another word "
        "than the true one, “cannot be told” is neither.",
        "",
        "| in the ECU | " + " | ".join(f"{r}: right | wrong | of" for r in ROUTES) + " |",
        "|---|" + "---|" * (3 * len(ROUTES)),
    ]
    for kind in KINDS:
        cells = []
        for route in ROUTES:
            said = [r["told"][route][kind] for r in results]
            counted = [s["told"] for s in said if s["step"] >= LEAST_WRITTEN_PCT]
            right = counted.count(kind)
            cells.append(
                f"{right} | {len(counted) - right - counted.count('untold')} | {len(counted)}"
            )
        lines.append(f"| {kind} | " + " | ".join(cells) + " |")
    small = [
        s["told"]
        for r in results
        for route in ROUTES
        for s in r["told"][route].values()
        if s["step"] < 0.5
    ]
    words = Counter(r["told"][route]["whole"]["word"] for r in results for route in ROUTES)
    words += Counter(word for r in results for word in r["words"])
    chains = [r["chain"] for r in results if r["chain"] is not None]
    ends = Counter(stopped(c) for c in chains)
    early = [c[next(i for i, r in enumerate(c) if r["stops"])] for c in chains]
    lines += [
        "",
        f"Steps below 0.5 %: {len(small)}, of which “cannot be told”: {small.count('untold')}.",
        "",
        f"What became of a table that is in the ECU, {words.total()} times: "
        + ", ".join(f"{word} {count}" for word, count in words.most_common())
        + ".",
        "",
        f"Stop: {len(chains)} chains of ordinary rounds of {FIRST_MINUTES:g} minutes, each with the drives "
        f"before it: too early {ends['early']}, too late {ends['late']}. Off at the end, percent rms over "
        f"another driver's half hour, median {np.median([e['off'] for e in early]):.2f}; a driven state over "
        f"3 % when stop was said: {sum(e['worst'] > 3.0 for e in early)}.",
    ]
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Trials with a wrong word of a table whose pulse width was logged."""
    return [
        r
        for r in results
        if any(
            s["told"] not in (kind, "untold")
            for kind, s in r["told"][ROUTES[0]].items()
            if s["step"] >= LEAST_WRITTEN_PCT
        )
    ]


CAMPAIGN = Campaign(
    title="A round proved by the next drive",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)

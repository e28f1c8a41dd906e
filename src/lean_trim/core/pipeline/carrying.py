"""Evidence of earlier drives: what is kept of a solved round, and what it says beside a later one.

Each drive was worked out with the calibration it was driven on; what is carried on is the value the table
would have to hold, so that it tells of any later table. It fades with age, and a drive that contradicts the
present one where both were does not count.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.driving_shares import DrivingSeconds
from lean_trim.core.decision.restraints import Restraints
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.estimation.carried import (
    Agreement,
    Carried,
    PlaceMeans,
    agreement,
    as_carried,
    place_means,
)
from lean_trim.core.estimation.edge_nodes import Gaps, gaps_of
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.explained import explained
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.planning.reach import Reached
from lean_trim.core.types import Floats, Ints, Mask


class Say:
    """Sentences of this module."""

    AGAINST = Message(
        "carrying_evidence.against",
        "This drive does not agree with {rounds}: in {places} places both visited it asks "
        "{apart:+.1f} % (± {spread:.1f} from place to place) of what round {number} asked.",
    )
    AGAINST_EFFECT = Message(
        "carrying_evidence.against_effect", "What it said of the table does not count here."
    )
    AGAINST_NEXT = Message(
        "carrying_evidence.against_next",
        "See whether the table got into the ECU, and whether car, fuel or gauge are the same; if the car "
        "is another, say so on Logs.",
    )


CARRY_KNOBS: tuple[Knob, ...] = (
    Knob(
        "off_pct_a_month",
        "An earlier drive is off, a month later, by",
        1.0,
        0.0,
        20.0,
        "%",
        tip="How far a car and its fuel move in a month. What an earlier drive says counts the less, the "
        "older it is.",
    ),
)
DISAGREES_ID = "earlier_disagrees"
LEAST_PLACES = 10
"""Places both drives visited from which they are held against each other (a choice)."""
APART_PCT = 2.5
"""Mean difference from which an earlier drive speaks of another car, percent (a choice: weather, fuel of
one kind and a gauge make less)."""
SPREAD_PCT = 4.0
"""The same for the scatter about the mean: another shape."""
SURE = 3.0
"""Standard errors a difference has to be beyond."""


@dataclass(frozen=True)
class CarrySettings:
    """How earlier drives count. ``off_pct_a_month`` is how far one is off a month later, 0 to 20 %."""

    off_pct_a_month: float = default_of(CARRY_KNOBS, "off_pct_a_month")

    def __post_init__(self) -> None:
        for knob in CARRY_KNOBS:
            knob.checked(getattr(self, knob.name))


@dataclass(frozen=True, eq=False)
class DriveEvidence:
    """What is kept of one solved round.

    Attributes
    ----------
    table : that was driven on.
    means : what was found, by place.
    restraints : what spoke on a proposal beside it.
    driving : how its cells were driven.
    doubted : something speaks against the drive as a whole, and it does not count.
    reached : what it tells of engine and road, None where that was not read.
    """

    table: Table
    means: PlaceMeans
    restraints: Restraints
    driving: DrivingSeconds
    doubted: bool = False
    reached: Reached | None = None

    @property
    def seconds(self) -> float:
        """Used driving."""
        return float(self.means.seconds.sum())


@dataclass(frozen=True, eq=False)
class Earlier:
    """A drive of an earlier round. ``months`` is how long before the present one."""

    number: int
    evidence: DriveEvidence
    months: float = 0.0


@dataclass(frozen=True)
class Counted:
    """What became of an earlier drive.

    Attributes
    ----------
    number : of its round.
    agreement : with the present drive.
    counts : False where it contradicts that, or is doubted.
    doubted : something speaks against it as a whole.
    seconds : used driving.
    off_pct : what its age makes of it, percent.
    """

    number: int
    agreement: Agreement
    counts: bool
    seconds: float
    off_pct: float
    doubted: bool = False

    @property
    def contradicts(self) -> bool:
        """True if it and the present drive cannot be of one car."""
        return not (self.counts or self.doubted)


@dataclass(frozen=True, eq=False)
class EarlierDrives:
    """All of them, as the present table is told by them.

    Attributes
    ----------
    readings : of the table; None where no drive counts.
    counted : one entry a drive.
    restraints, driving : of those that count, on the present table; None where none does.
    engine : the readings' engine speed and manifold pressure, (2, m).
    reached : what they tell of engine and road, None where none does.
    """

    readings: Carried | None = None
    counted: tuple[Counted, ...] = ()
    restraints: Restraints | None = None
    driving: DrivingSeconds | None = None
    engine: Floats | None = None
    reached: Reached | None = None


NONE_EARLIER = EarlierDrives()


def means_of(
    prepared: Prepared, plain: Observations, estimate: Estimate, huber: float
) -> PlaceMeans:
    """One drive by place.

    Parameters
    ----------
    prepared : its log as the sieve saw it.
    plain : used samples, less what film, warm-up and other causes explain.
    estimate : by the surface.
    huber : standard deviations from which a sample is wild.

    Returns
    -------
    The places.
    """
    assert estimate.state is not None
    frame = prepared.frame
    table_only = replace(estimate, shared=())
    return place_means(
        frame.vehicle.table,
        plain,
        tuple(a[plain.index] for a in frame.coordinates),
        (_logged(frame.log, Role.RPM, plain), _logged(frame.log, Role.MAP, plain)),
        plain.k - explained(table_only, plain),
        estimate.state,
        huber,
    )


def _logged(log: Log, role: Role, plain: Observations) -> Floats:
    if role not in log:
        return np.full(len(plain), np.nan)
    return np.asarray(log[role], float)[plain.index]


def earlier_drives(
    earlier: Sequence[Earlier], own: PlaceMeans, table: Table, settings: CarrySettings
) -> EarlierDrives:
    """Hold earlier drives against the present one and take what counts.

    Parameters
    ----------
    earlier : drives of the same car.
    own : the present one.
    table : it was driven on.
    settings : how they fade.

    Returns
    -------
    What they say of the present table.
    """
    counted = tuple(_counted(e, own, table, settings) for e in earlier)
    return drives_that_count(earlier, counted, table)


def drives_that_count(
    earlier: Sequence[Earlier], counted: tuple[Counted, ...], table: Table
) -> EarlierDrives:
    """The part of ``earlier_drives`` that comes after they were held against the present one.

    Parameters
    ----------
    earlier : drives of the same car.
    counted : what became of each.
    table : the present one.

    Returns
    -------
    What those that count say of the present table.
    """
    kept = [e for e, c in zip(earlier, counted, strict=True) if c.counts]
    if not kept:
        return EarlierDrives(counted=counted)
    off = [c.off_pct / 100.0 for c in counted if c.counts]
    readings = as_carried([e.evidence.means for e in kept], off, table)
    at = np.concatenate([e.evidence.means.at for e in kept], axis=1)
    inside = table.inside(*at) & (np.concatenate([e.evidence.means.wanted for e in kept]) > 0.0)
    engine = np.concatenate(
        [[e.evidence.means.rpm, e.evidence.means.map_kpa] for e in kept], axis=1
    )
    restraints = None
    driving = None
    reached = None
    for e in kept:
        speaks = _restraints_on(table, e.evidence)
        restraints = speaks if restraints is None else restraints.plus(speaks)
        drove = _driving_on(table, e.evidence)
        driving = drove if driving is None else driving.plus(drove)
        # The rounds come oldest first, so that the newest road stands.
        told = e.evidence.reached
        if told is not None:
            reached = told if reached is None else told.joined(reached)
    return EarlierDrives(
        readings=readings,
        counted=counted,
        restraints=restraints,
        driving=driving,
        engine=engine[:, inside],
        reached=reached,
    )


def _counted(one: Earlier, own: PlaceMeans, table: Table, settings: CarrySettings) -> Counted:
    agreed = agreement(own, one.evidence.means, table)
    off = settings.off_pct_a_month * max(one.months, 0.0)
    # What age makes of it is no contradiction.
    bar = float(np.hypot(APART_PCT, off))
    apart = agreed.places >= LEAST_PLACES and abs(agreed.apart_pct) > max(
        bar, SURE * agreed.error_pct
    )
    bent = agreed.places >= LEAST_PLACES and agreed.spread_pct > float(np.hypot(SPREAD_PCT, off))
    doubted = one.evidence.doubted
    counts = not (doubted or apart or bent)
    return Counted(one.number, agreed, counts, one.evidence.seconds, off, doubted)


def disagreement(before: EarlierDrives) -> Finding | None:
    """What to say where earlier drives contradict the present one.

    Parameters
    ----------
    before : drives that were held against it.

    Returns
    -------
    One finding for all of them; None where none does.
    """
    against = [c for c in before.counted if c.contradicts]
    if not against:
        return None
    worst = max(against, key=lambda c: abs(c.agreement.apart_pct) + c.agreement.spread_pct)
    agreed = worst.agreement
    rounds = ", ".join(str(c.number) for c in against)
    said = Say.AGAINST(
        rounds=f"rounds {rounds}" if len(against) > 1 else f"round {rounds}",
        number=worst.number,
        apart=agreed.apart_pct,
        spread=agreed.spread_pct,
        places=agreed.places,
    )
    return Finding(
        DISAGREES_ID,
        "warning",
        0.0,
        0.0,
        said,
        effect=Say.AGAINST_EFFECT(),
        next_step=Say.AGAINST_NEXT(),
    )


def _restraints_on(table: Table, evidence: DriveEvidence) -> Restraints:
    """What an earlier drive says against leaning, on another table of the same kind."""
    r = evidence.restraints
    cells = _nearest(table, evidence.table)
    same = evidence.table.same_axes(table)
    at = tuple(evidence.means.at)
    mesh = table.interpolate(*at)

    def moved(mask: Mask) -> Mask:
        return np.asarray(mask.ravel()[cells].reshape(table.shape))

    return Restraints(
        knock=moved(r.knock),
        fault=moved(r.fault),
        # How far feedback had to reach was said of the table that was driven then.
        least_pct=np.full(table.shape, -np.inf),
        unproven=moved(r.unproven),
        gaps=gaps_of(table, at, mesh.cells, mesh.weights),
        knock_at=r.knock_at if same else None,
        not_in_force=None if r.not_in_force is None else moved(r.not_in_force),
    )


def _nearest(table: Table, old: Table) -> Ints:
    """For every cell of a table the nearest one of another, flat."""
    if old.same_axes(table):
        return np.arange(table.size)
    points = np.meshgrid(*(axis.points for axis in table.axes), indexing="ij")
    return old.nearest(*(p.ravel() for p in points))


def _driving_on(table: Table, evidence: DriveEvidence) -> DrivingSeconds:
    d = evidence.driving
    if evidence.table.same_axes(table):
        return d
    cells = _nearest(table, evidence.table)
    return replace(d, whole=d.whole[cells], idle=d.idle[cells], full=d.full[cells])


def gaps_with(gaps: Gaps, before: EarlierDrives) -> Gaps:
    """How near driving came to each node, in any drive that counts."""
    if before.restraints is None or before.restraints.gaps is None:
        return gaps
    return gaps.plus(before.restraints.gaps)


def restraints_with(own: Restraints, before: EarlierDrives) -> Restraints:
    """What all drives that count say beside the estimate."""
    return own if before.restraints is None else own.plus(before.restraints)


def driving_with(own: DrivingSeconds, before: EarlierDrives) -> DrivingSeconds:
    """How each cell was driven, in all drives that count."""
    return own if before.driving is None else own.plus(before.driving)

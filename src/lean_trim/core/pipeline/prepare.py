"""Everything along a log that no threshold of the sieve changes, worked out once."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trim.core.drive.conditions import Conditions, make_conditions
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda
from lean_trim.core.drive.film import DEFAULT_TAU_S, film_uptake
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.nuisance_terms import SharedTerms, nuisance_terms
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.drive.trim_stops import trim_stops
from lean_trim.core.estimation.bounds import Bounds
from lean_trim.core.estimation.observations import (
    Observations,
    correction_factor,
    pick,
    relative_variance,
)
from lean_trim.core.parallel import run_parallel
from lean_trim.core.sieve.rules_limits import trim_limit
from lean_trim.core.sieve.sieve import RULE_BITS, SieveSettings, Sifted, sift
from lean_trim.core.transients.events import Transient, find_transients
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True, eq=False)
class Prepared:
    """Conditions with k and its relative variance along the log, (n,), and what shifts k beside the table."""

    conditions: Conditions
    delay: DelaySettings
    regimes: RegimeSettings
    k: Floats
    variance: Floats
    terms: SharedTerms

    @cached_property
    def transients(self) -> tuple[Transient, ...]:
        """Quick changes of the drive, in time order."""
        return find_transients(self.conditions.motion)

    @property
    def frame(self) -> Frame:
        """The log seen through its calibration."""
        return self.conditions.motion.frame

    def sift(
        self, settings: SieveSettings, by_hand: Mask | None = None, previous: Sifted | None = None
    ) -> Sifted:
        """Apply the sieve.

        Parameters
        ----------
        settings : knobs and switches of the rules.
        by_hand : samples the user left out, shape (n,).
        previous : an earlier result on the same log; only rules that were turned are worked out
            anew.

        Returns
        -------
        Reasons by sample.
        """
        return sift(self.conditions, settings, by_hand, previous)

    def observe(self, sifted: Sifted) -> Observations:
        """The observations the sieve lets through.

        Returns one observation per used sample.
        """
        motion = self.conditions.motion
        return pick(self.frame, sifted.used, self.k, self.variance, self.terms, motion.durations_s)

    def bounds(self, sifted: Sifted) -> Bounds:
        """Samples of a loop at its stop that only this keeps from being readings.

        Returns none where lambda was logged.
        """
        knobs = sifted.settings.values(trim_limit)
        side = trim_stops(self.frame, knobs["from_pct"], knobs["rests_s"])
        others = sifted.reason_bits & ~RULE_BITS[trim_limit.name]
        use = (side != 0) & (others == 0)
        durations_s = self.conditions.motion.durations_s
        at = pick(self.frame, use, self.k, self.variance, self.terms, durations_s)
        return Bounds(at, side[at.index])


def prepare(
    motion: Motion,
    delay: DelaySettings,
    regimes: RegimeSettings,
    film_tau_s: float = DEFAULT_TAU_S,
    usual_k: float = np.nan,
) -> Prepared:
    """Align lambda with a delay and work out what it says along the whole log.

    Parameters
    ----------
    motion : a log with its frame and rates.
    delay : parameters of the sensor's delay.
    regimes : thresholds that tell regimes apart.
    film_tau_s : time constant of the wall film, s.
    usual_k : coolant above intake air of the warm engine, K, where other logs told it.

    Returns
    -------
    Everything the sieve and the fit need.
    """
    frame = motion.frame
    lam = aligned_lambda(frame, delay)
    run_parallel(
        len(lam),
        [
            lambda: motion.map_rate,
            lambda: motion.rpm_rate,
            lambda: motion.throttle_rate,
            lambda: motion.enrichment,
        ],
    )
    conditions, k, variance, terms = run_parallel(
        len(lam),
        [
            lambda: make_conditions(motion, lam, regimes),
            lambda: correction_factor(frame, lam, motion.enrichment),
            lambda: relative_variance(motion, lam),
            lambda: nuisance_terms(frame, film_uptake(frame, film_tau_s), usual_k),
        ],
    )
    assert isinstance(conditions, Conditions) and isinstance(terms, SharedTerms)
    return Prepared(conditions, delay, regimes, np.asarray(k), np.asarray(variance), terms)

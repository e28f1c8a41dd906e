"""What the sieve's rules look at.

The frame, how it moved, its regimes, aligned lambda and the airflow source.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.drive.airflow_source import AirflowSource, read_airflow_source
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.lean_spikes import LeanSpikes, lean_spikes
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.pulse_width_proof import proven_samples
from lean_trim.core.drive.regimes import RegimeSettings, classify, fuel_cut
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True, eq=False)
class Conditions:
    """One log made ready for sifting; arrays have shape (n,). ``lam`` is NaN where unknown.

    ``thin`` is the lean error that the wall film makes of the injected fuel, see ``tip_in``; None
    before the film was read.
    """

    motion: Motion
    regime: NDArray[np.int8]
    lam: Floats
    airflow_source: AirflowSource
    regimes: RegimeSettings
    thin: Floats | None = None

    @property
    def lean(self) -> Floats:
        """Lambda over its target, less what the wall film explains of it; NaN where unknown, (n,)."""
        with np.errstate(invalid="ignore", divide="ignore"):
            whole = self.lam / self.frame.target
        if self.thin is None:
            return np.asarray(whole)
        # A mixture that is rich all the same is not made richer by it.
        return np.asarray(np.where(whole > 1.0, np.maximum(1.0, whole - self.thin), whole))

    @cached_property
    def fuel_cut(self) -> Mask:
        """True where no fuel was injected, by the thresholds the regimes were told with."""
        return fuel_cut(self.frame, self.regimes)

    @cached_property
    def pulse_width_proven(self) -> Mask:
        """Samples of logs whose steady running bears the pulse width out (``proven_samples``)."""
        return proven_samples(self.frame, self.regime, self.motion.durations_s)

    @cached_property
    def lean_spikes(self) -> LeanSpikes:
        """Short jumps to lean that nothing explains."""
        with np.errstate(all="ignore"):
            return lean_spikes(self.motion, self.regime, self.lam)

    @property
    def frame(self) -> Frame:
        """The log seen through its calibration."""
        return self.motion.frame


def make_conditions(
    motion: Motion, lam: Floats, regimes: RegimeSettings | None = None
) -> Conditions:
    """The conditions of a log with the vehicle's own way to tell the airflow source.

    Parameters
    ----------
    motion : a log with its frame and rates.
    lam : measured lambda moved to the moment of injection, NaN where unknown, shape (n,).
    regimes : thresholds that tell regimes apart; the defaults if None.

    Returns
    -------
    What the rules of the sieve and the checks for faults look at.
    """
    source = read_airflow_source(motion, motion.frame.vehicle.airflow_source)
    told = regimes or RegimeSettings()
    return Conditions(motion, classify(motion, told), lam, source, told)

"""What the sieve's rules look at: the frame, how it moved, its regimes, aligned lambda and the airflow source."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.drive.airflow_source import SourceReading, read_source
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.pulse_width_proof import proven
from lean_trim.core.drive.regimes import RegimeSettings, classify
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True, eq=False)
class Scene:
    """One log made ready for sifting; arrays have shape (n,). ``lam`` is NaN where unknown."""

    motion: Motion
    regime: NDArray[np.int8]
    lam: Floats
    source: SourceReading

    @cached_property
    def pulse_width_proven(self) -> Mask:
        """Samples of logs whose steady running bears the pulse width out, see ``calibration.proven``."""
        return proven(self.frame, self.regime, self.motion.durations_s)

    @property
    def frame(self) -> Frame:
        return self.motion.frame


def make_scene(motion: Motion, lam: Floats, regimes: RegimeSettings | None = None) -> Scene:
    """The scene of a log with the vehicle's own way to tell the airflow source."""
    source = read_source(motion, motion.frame.vehicle.source)
    return Scene(motion, classify(motion, regimes or RegimeSettings()), lam, source)

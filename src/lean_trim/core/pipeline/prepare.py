"""Everything along a log that no threshold of the sieve changes, worked out once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.conditions import Scene, make_scene
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda
from lean_trim.core.drive.film import film_excess
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.estimation.observations import Observations, correction_factor, pick, relative_variance
from lean_trim.core.parallel import together
from lean_trim.core.sieve.sieve import SieveSettings, Sifted, sift
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True, eq=False)
class Prepared:
    """A scene with k, its relative variance and the wall-film excess along the whole log, (n,)."""

    scene: Scene
    delay: DelaySettings
    regimes: RegimeSettings
    k: Floats
    variance: Floats
    film: Floats

    @property
    def frame(self) -> Frame:
        return self.scene.motion.frame

    def sift(self, settings: SieveSettings, by_hand: Mask | None = None, previous: Sifted | None = None) -> Sifted:
        """Apply the sieve."""
        return sift(self.scene, settings, by_hand, previous)

    def observe(self, sifted: Sifted) -> Observations:
        """The observations the sieve lets through."""
        motion = self.scene.motion
        return pick(self.frame, sifted.used, self.k, self.variance, self.film, motion.durations_s)


def prepare(motion: Motion, delay: DelaySettings, regimes: RegimeSettings) -> Prepared:
    """Align lambda with a delay and work out what it says along the whole log."""
    frame = motion.frame
    lam = aligned_lambda(frame, delay)
    together(
        len(lam),
        [lambda: motion.map_rate, lambda: motion.rpm_rate, lambda: motion.throttle_rate, lambda: motion.enrichment],
    )
    scene, k, variance, film = together(
        len(lam),
        [
            lambda: make_scene(motion, lam, regimes),
            lambda: correction_factor(frame, lam, motion.enrichment),
            lambda: relative_variance(motion, lam),
            lambda: film_excess(frame),
        ],
    )
    assert isinstance(scene, Scene)
    return Prepared(scene, delay, regimes, np.asarray(k), np.asarray(variance), np.asarray(film))

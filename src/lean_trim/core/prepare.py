"""Everything along a log that no threshold of the sieve changes, worked out once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .delay import DelaySettings, aligned_lambda
from .film import film_excess
from .frame import Frame
from .motion import Motion
from .observations import Observations, correction_factor, pick, relative_variance
from .physics import Floats, Mask
from .regimes import RegimeSettings
from .scene import Scene, make_scene
from .sieve import SieveSettings, Sifted, sift
from .together import together


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

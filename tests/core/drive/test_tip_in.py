"""What the wall film explains of a lean moment, against the film's own equation stepped by hand."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.film import MIDDLE_KPA
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.tip_in import thin_by_film
from tests.builders import make_log, small_vehicle


def opening():
    """One second at 40 kPa, then at 80: fuel doubles at once."""
    time = np.arange(0.0, 6.0, 0.02)
    pressure = np.where(time < 3.0, MIDDLE_KPA, 2.0 * MIDDLE_KPA)
    return make_frame(make_log(time, np.full(len(time), 2500.0), pressure), small_vehicle())


def test_it_is_the_films_equation_on_the_fuel_that_was_injected() -> None:
    """dm/dt = X f - m / tau, what arrives is (1 - X) f + m / tau (Aquino, SAE 810494; from memory)."""
    frame = opening()
    share = 0.25
    tau = 0.4
    thin = thin_by_film(frame, share, 0.0, tau, 0.0)
    time = frame.log.time_s
    fuel = frame.air_g / frame.air_g[0]
    # X rises with load by 0.4 of itself per 100 kPa about 50 kPa: by a fifth at 100. At 2500 rpm
    # the film evaporates sooner than at the 2000 its time constant is told for.
    x = np.where(time < 3.0, share, 1.2 * share)
    evaporates = tau * np.exp(-0.05 * 0.5)
    film = share * evaporates * fuel[0]
    arrives = []
    for i in range(len(time)):
        arrives.append((1.0 - x[i]) * fuel[i] + film / evaporates)
        film += 0.02 * (x[i] * fuel[i] - film / evaporates)
    at = (time > 3.1) & (time < 4.5)
    by_hand = fuel[at] / np.array(arrives)[at] - 1.0
    np.testing.assert_allclose(thin[at], by_hand, atol=0.02)
    assert thin[time < 2.9].max() < 1e-6


def test_errors_make_it_smaller_and_an_unknown_film_explains_nothing() -> None:
    frame = opening()
    plain = thin_by_film(frame, 0.25, 0.0, 0.4, 0.0).max()
    assert thin_by_film(frame, 0.25, 0.05, 0.4, 0.1).max() < plain
    for share, share_se, tau_se in ((0.1, 0.2, 0.1), (0.25, 0.02, np.nan), (np.nan, 0.1, 0.1)):
        assert not thin_by_film(frame, share, share_se, 0.4, tau_se).any()


def test_rich_is_never_explained_away() -> None:
    frame = opening()
    assert Role.LAMBDA in frame.log
    assert (thin_by_film(frame, 0.25, 0.0, 0.4, 0.0) >= 0.0).all()


@pytest.mark.parametrize("tau_se", [0.0, 0.3, 5.0])
def test_no_time_constant_becomes_none(tau_se: float) -> None:
    assert np.isfinite(thin_by_film(opening(), 0.25, 0.0, 0.4, tau_se)).all()

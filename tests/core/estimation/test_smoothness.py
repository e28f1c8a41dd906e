"""Roughness operators: zero where they must be, right where they can be checked."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import Axis, maf_curve, ve_table
from lean_trim.core.estimation.smoothness import roughness, second_difference

RPM = np.array([800.0, 1100.0, 2500.0, 6000.0, 6500.0])
MAP = np.array([20.0, 25.0, 60.0, 100.0])


def test_second_difference_on_an_even_axis_is_the_textbook_stencil() -> None:
    axis = Axis("x", "", np.arange(5.0))
    np.testing.assert_allclose(
        second_difference(axis), [[1, -2, 1, 0, 0], [0, 1, -2, 1, 0], [0, 0, 1, -2, 1]]
    )


def test_second_difference_of_a_parabola_is_its_curvature_on_an_uneven_axis() -> None:
    axis = Axis("x", "", RPM)
    step = (RPM[-1] - RPM[0]) / 4
    np.testing.assert_allclose(second_difference(axis) @ (3e-6 * RPM**2), 6e-6 * step**2)


def test_planes_are_perfectly_smooth_and_a_lone_cell_is_not() -> None:
    table = ve_table(RPM, MAP, np.full((4, 5), 50.0))
    rough = roughness(table.axes)
    plane = (2.0 + 0.01 * RPM[None, :] - 0.3 * MAP[:, None]).ravel()
    assert plane @ rough @ plane == pytest.approx(0.0, abs=1e-15 * (plane @ plane) + 1e-9)
    lone = np.zeros(20)
    lone[7] = 1.0
    assert lone @ rough @ lone > 1.0
    np.testing.assert_allclose(rough, rough.T)


def test_a_curve_has_curvature_only_along_itself() -> None:
    curve = maf_curve([1.0, 2.0, 3.0], [1.0, 2.0, 3.0])
    np.testing.assert_allclose(roughness(curve.axes), np.outer([1, -2, 1], [1, -2, 1]))

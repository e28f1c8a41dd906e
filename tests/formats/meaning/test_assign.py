"""Columns whose names fit and whose numbers do not."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.channel_map import map_channels


def test_a_switch_is_no_trim(heron_log: Log, heron_vehicle: Vehicle) -> None:
    """German loggers head the flag with the word that some use for the trim itself."""
    columns = (
        Column(0, "Zeit", "s"),
        Column(1, "Drehzahl", "1/min"),
        Column(2, "Saugrohrdruck", "kPa"),
        Column(3, "Lambda", "λ"),
        Column(4, "Lambdaregelung", ""),
        Column(5, "Korrektur kurz", "%"),
    )
    of = (Role.RPM, Role.MAP, Role.LAMBDA, Role.CLOSED_LOOP, Role.STFT)
    values = {0: heron_log.time_s} | {i: heron_log[r] for i, r in enumerate(of, 1)}
    raw = RawColumns(columns, values, "text")
    log = map_channels(raw, "drive", heron_vehicle.stoich_afr, None, heron_vehicle).log
    np.testing.assert_allclose(log[Role.STFT], heron_log[Role.STFT], atol=1e-9)


def test_the_next_best_reading_is_kept_with_its_odds(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    """Manifold pressure without a unit: in inches of mercury engine and fuel are as they should be."""
    columns = (
        Column(0, "Time", "s"),
        Column(1, "RPM", "rpm"),
        Column(2, "MAP", ""),
        Column(3, "Lambda", "λ"),
        Column(4, "Pulse Width", "ms"),
        Column(5, "STFT", "%"),
        Column(6, "IAT", "°C"),
    )
    of = (Role.RPM, Role.MAP, Role.LAMBDA, Role.PULSE_WIDTH, Role.STFT, Role.IAT)
    values = {0: heron_log.time_s} | {i: heron_log[r] for i, r in enumerate(of, 1)}
    values[2] = heron_log[Role.MAP] / 3.386389
    raw = RawColumns(columns, values, "text")
    mapped = map_channels(raw, "drive", heron_vehicle.stoich_afr, None, heron_vehicle)
    match = next(m for m in mapped.matches if m.role is Role.MAP)
    assert match.unit.lower() in ("inhg", "in hg")
    assert match.runner_up and match.odds > 20.0
    assert "odds" in match.note and "to 1" in match.note

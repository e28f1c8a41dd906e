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

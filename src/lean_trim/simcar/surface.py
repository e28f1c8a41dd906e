"""What a table has to hold, at many states at once; ``Truth.table_ve_pct`` says the same of one."""

from __future__ import annotations

from lean_trim.core.types import Floats
from lean_trim.simcar import laws
from lean_trim.simcar.compiled import compiled

ve_pct = compiled(laws.ve_pct)
charge_c = compiled(laws.charge_c)


@compiled
def table_ve_pct(
    rpm: Floats,
    map_kpa: Floats,
    out: Floats,
    intake_c: float,
    coolant_c: float,
    displacement_l: float,
    heating: tuple[float, float],
    redline_rpm: float,
    breathing: tuple[float, ...],
) -> None:
    """Volumetric efficiency over the intake air's temperature, percent, of a warm engine.

    Parameters
    ----------
    rpm, map_kpa : states, (n,).
    out : takes the values, (n,).
    intake_c, coolant_c : temperatures of a settled engine.
    displacement_l, redline_rpm, breathing : of the engine; ``breathing`` in the order of
        ``Breathing``.
    heating : ``charge_heating`` and ``charge_flow_g_per_s``.
    """
    intake_k = intake_c + laws.ZERO_C_K
    for i in range(len(rpm)):
        ve = ve_pct(rpm[i], map_kpa[i], redline_rpm, *breathing)
        density = map_kpa[i] / (laws.AIR_R * intake_k)
        flow = ve / 100.0 * density * displacement_l * rpm[i] / 120.0
        charge_k = charge_c(intake_c, coolant_c, flow, heating[0], heating[1]) + laws.ZERO_C_K
        out[i] = ve * intake_k / charge_k

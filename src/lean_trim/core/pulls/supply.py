"""What the fuel supply makes of a pull."""

from __future__ import annotations

from dataclasses import replace

from lean_trim.core.diagnosis.delivery import DeliveryEnd
from lean_trim.core.pulls.pull import Pull
from lean_trim.core.types import Floats


def with_supply(
    pull: Pull, flow_g_per_s: Floats, delivery: DeliveryEnd | None, in_doubt: bool
) -> Pull:
    """A pull that says whether fuel arrived in it.

    Parameters
    ----------
    pull : measured.
    flow_g_per_s : commanded along the log, shape (n,).
    delivery : where fuel ends on this drive, None where it arrives.
    in_doubt : whether any finding says that fuel may not arrive.

    Returns
    -------
    The same with ``ends_at`` and ``supply_in_doubt``.
    """
    near = delivery is not None and bool(delivery.near(flow_g_per_s[pull.start : pull.stop]).any())
    ends_at = (delivery.flow_g_per_s, delivery.rpm) if delivery is not None and near else None
    return replace(pull, ends_at=ends_at, supply_in_doubt=in_doubt)

"""The features in the order of the work, which is that of their desks.

A new one is a package, and a line here.
"""

from __future__ import annotations

from lean_trim.features.books.feature import BOOKS
from lean_trim.features.closed_loop_shift.feature import CLOSED_LOOP_SHIFT
from lean_trim.features.feature import Feature
from lean_trim.features.injectors.feature import INJECTORS
from lean_trim.features.logs.feature import LOGS
from lean_trim.features.planning.feature import PLANNING
from lean_trim.features.proof.feature import PROOF
from lean_trim.features.pulls.feature import PULLS
from lean_trim.features.recording.feature import RECORDING
from lean_trim.features.report.feature import REPORT
from lean_trim.features.simulation.feature import SIMULATION
from lean_trim.features.table.feature import TABLE
from lean_trim.features.transients.feature import TRANSIENTS
from lean_trim.features.vehicle.feature import VEHICLE

FEATURES: tuple[Feature, ...] = (
    VEHICLE,
    TABLE,
    PULLS,
    TRANSIENTS,
    INJECTORS,
    LOGS,
    PLANNING,
    PROOF,
    SIMULATION,
    RECORDING,
    CLOSED_LOOP_SHIFT,
    BOOKS,
    REPORT,
)

"""Numbers of the simulated car that are no matter of one engine (invented, unless a source is named)."""

from __future__ import annotations

from lean_trim.simcar.state import Feedback, Kind

IDLE, CRUISE, HOLD, PULL, COAST, BLIP = (int(k) for k in Kind)
NO_LOOP, NARROWBAND, WIDEBAND = (int(k) for k in Feedback)
APPROACH_S = 25.0
"""Longest time spent getting to a leg's gear and speed."""
SHIFT_S = 0.45
IDLE_RPM = 900.0
IDLE_VALVE_S = 0.5
"""How late a valve follows whose loop is set too sharp; a sound one follows at once."""
LTFT_RPM = (1500.0, 2500.0, 4000.0)
LTFT_LOAD = (35.0, 55.0, 80.0)
FULL_THROTTLE_PCT = 78.0
WARM_UP_PER_K = 0.0034
WARM_UP_BELOW_C = 72.0
"""What the ECU adds of itself to a cold engine, where it was given no table."""
RATE_OVER_S = 0.03
"""Time constant over which the ECU takes the rate of pressure or throttle."""
FADE_S = 0.35
"""Where no table of fading was given."""
LAMBDA_RANGE = (0.65, 1.36)
WEAK_DEAD = 0.25
"""Part by which dead time grows more with a weak battery than the sheet says."""
FREE_AIR_LAMBDA = 9.0
"""What a sensor that lost its heater reports, before the meter's own end stop."""
LOADS_EVERY_S = 24.0
TAIL_HALF_G_PER_S = 2.0
"""Airflow at which air from behind counts half; an idling engine draws about as much (invented)."""
CHOKED = 0.53
"""Pressure ratio below which a leak draws all it can (textbook, air)."""
SPELL_EVERY_S = 200.0
SPELL_S = 90.0
SPELL_K = 25.0
"""Spells of hot air under the bonnet, as in traffic (invented)."""
PASS_EVERY_S = 480.0
BOOST_FROM_KPA = 15.0
BOOST_OVER_KPA = 25.0
"""Boost from which second injectors begin, and over which they open (invented)."""
MISFIRE_S = (0.25, 0.7)
MIDDLE_C = 25.0
"""Air temperature an air sensor that misreads was calibrated at (invented)."""
EXHAUST_K = 800.0
AIR_AND_FUEL = 1.07
"""Mass of exhaust over that of its air."""

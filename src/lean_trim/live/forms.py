"""How the address of each kind of source is written; the command line loads nothing else for it."""

from __future__ import annotations

from collections.abc import Mapping

FORMS: Mapping[str, str] = {
    "can": "can:INTERFACE/CHANNEL?bitrate=500000&dbc=FILE",
    "obd": "obd:/dev/ttyUSB0, obd:socket://HOST:PORT or obd:can:INTERFACE/CHANNEL",
    "lines": "lines:/dev/ttyUSB0?baud=9600, lines:socket://HOST:PORT or lines:-",
    "sim": "sim:?seed=1&pace=1",
    "file": "file:PATH?pace=1",
}
"""By scheme."""

"""Readers that run apart: a new one is a module of this package and a line here."""

from __future__ import annotations

from lean_trim.formats.decode.apart import can_trace, matlab, mdf
from lean_trim.formats.decode.apart.protocol import FileReader

FILE_READERS: dict[str, FileReader] = {
    "MDF": mdf.READER,
    "MATLAB": matlab.READER,
    "CAN trace": can_trace.READER,
}

"""Fault codes: read from an answer, and what the standard says they mean.

References
----------
SAE J2012 / ISO 15031-6: letters, ranges and descriptions of generic codes (from memory of the standard).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

LETTERS = "PCBU"
"""By the two highest bits: powertrain, chassis, body, network."""


@dataclass(frozen=True)
class FaultCode:
    """A stored fault code.

    Attributes
    ----------
    code : as P0171.
    pending : seen once, not yet confirmed.
    ecu : who stores it.
    """

    code: str
    pending: bool = False
    ecu: str = ""

    @property
    def meaning(self) -> str:
        """In plain words; "" where the standard leaves it to the maker."""
        return meaning_of(self.code)


def code_of(high: int, low: int) -> str:
    """A code from its two bytes."""
    return f"{LETTERS[high >> 6]}{high >> 4 & 3}{high & 15:X}{low:02X}"


def codes_in(data: bytes) -> tuple[str, ...]:
    """Codes of a list of byte pairs; zeros fill it up.

    Parameters
    ----------
    data : without service and count.

    Returns
    -------
    Codes in their order.
    """
    pairs = zip(data[::2], data[1::2], strict=False)
    return tuple(code_of(high, low) for high, low in pairs if high or low)


def meaning_of(code: str) -> str:
    """What a generic code means; "" for one of a maker's own, or one that is not listed.

    Parameters
    ----------
    code : as P0171.

    Returns
    -------
    A few words.
    """
    if code in MEANINGS:
        return MEANINGS[code]
    if len(code) == 5 and code[:3] in ("P03",) and code[3:].isdigit() and 1 <= int(code[3:]) <= 12:
        return f"cylinder {int(code[3:])} misfires"
    return ""


def is_makers_own(code: str) -> bool:
    """Whether a code's meaning is its maker's affair: P1, P30 to P33, and so with the other letters."""
    if code[:1] == "P":
        return code[1] == "1" or (code[1] == "3" and code[2] in "0123")
    return code[1] in "12"


MEANINGS: Mapping[str, str] = {
    "P0087": "fuel rail pressure too low",
    "P0088": "fuel rail pressure too high",
    "P0100": "mass airflow sensor circuit",
    "P0101": "mass airflow implausible",
    "P0102": "mass airflow sensor reads low",
    "P0103": "mass airflow sensor reads high",
    "P0105": "manifold pressure sensor circuit",
    "P0106": "manifold pressure implausible",
    "P0107": "manifold pressure sensor reads low",
    "P0108": "manifold pressure sensor reads high",
    "P0111": "intake air temperature implausible",
    "P0112": "intake air sensor reads low",
    "P0113": "intake air sensor reads high",
    "P0115": "coolant sensor circuit",
    "P0116": "coolant temperature implausible",
    "P0117": "coolant sensor reads low",
    "P0118": "coolant sensor reads high",
    "P0121": "throttle position implausible",
    "P0122": "throttle sensor reads low",
    "P0123": "throttle sensor reads high",
    "P0125": "coolant too cold for closed loop",
    "P0128": "coolant below the thermostat's temperature",
    "P0130": "oxygen sensor circuit, bank 1 sensor 1",
    "P0131": "oxygen sensor reads low, bank 1 sensor 1",
    "P0132": "oxygen sensor reads high, bank 1 sensor 1",
    "P0133": "oxygen sensor slow, bank 1 sensor 1",
    "P0134": "oxygen sensor shows no activity, bank 1 sensor 1",
    "P0135": "oxygen sensor heater, bank 1 sensor 1",
    "P0136": "oxygen sensor circuit, bank 1 sensor 2",
    "P0141": "oxygen sensor heater, bank 1 sensor 2",
    "P0150": "oxygen sensor circuit, bank 2 sensor 1",
    "P0153": "oxygen sensor slow, bank 2 sensor 1",
    "P0155": "oxygen sensor heater, bank 2 sensor 1",
    "P0170": "fuel trim, bank 1",
    "P0171": "mixture too lean, bank 1",
    "P0172": "mixture too rich, bank 1",
    "P0173": "fuel trim, bank 2",
    "P0174": "mixture too lean, bank 2",
    "P0175": "mixture too rich, bank 2",
    "P0190": "fuel rail pressure sensor circuit",
    "P0191": "fuel rail pressure implausible",
    "P0192": "fuel rail pressure sensor reads low",
    "P0193": "fuel rail pressure sensor reads high",
    "P0201": "injector circuit, cylinder 1",
    "P0202": "injector circuit, cylinder 2",
    "P0203": "injector circuit, cylinder 3",
    "P0204": "injector circuit, cylinder 4",
    "P0205": "injector circuit, cylinder 5",
    "P0206": "injector circuit, cylinder 6",
    "P0207": "injector circuit, cylinder 7",
    "P0208": "injector circuit, cylinder 8",
    "P0217": "engine too hot",
    "P0219": "engine speed too high",
    "P0230": "fuel pump circuit",
    "P0234": "boost too high",
    "P0299": "boost too low",
    "P0300": "misfires in several cylinders",
    "P0325": "knock sensor circuit, bank 1",
    "P0326": "knock sensor implausible, bank 1",
    "P0327": "knock sensor reads low, bank 1",
    "P0328": "knock sensor reads high, bank 1",
    "P0335": "crankshaft sensor circuit",
    "P0340": "camshaft sensor circuit",
    "P0401": "exhaust gas recirculation, too little flow",
    "P0411": "secondary air, wrong flow",
    "P0420": "catalyst below its efficiency, bank 1",
    "P0430": "catalyst below its efficiency, bank 2",
    "P0440": "evaporative system",
    "P0441": "evaporative system, wrong purge flow",
    "P0442": "evaporative system, small leak",
    "P0455": "evaporative system, large leak",
    "P0500": "vehicle speed sensor",
    "P0505": "idle control",
    "P0506": "idle speed too low",
    "P0507": "idle speed too high",
    "P0560": "system voltage",
    "P0562": "system voltage low",
    "P0563": "system voltage high",
    "P2096": "fuel trim behind the catalyst too lean, bank 1",
    "P2097": "fuel trim behind the catalyst too rich, bank 1",
    "P2177": "mixture too lean off idle, bank 1",
    "P2178": "mixture too rich off idle, bank 1",
    "P2187": "mixture too lean at idle, bank 1",
    "P2188": "mixture too rich at idle, bank 1",
    "P2195": "oxygen sensor stays lean, bank 1 sensor 1",
    "P2196": "oxygen sensor stays rich, bank 1 sensor 1",
    "U0001": "high-speed CAN bus",
    "U0100": "no word from the engine's ECU",
}
"""Descriptions of generic codes, in plain words: what bears on mixture and airflow, and the commonest."""

"""Parameters of service 01 and what their bytes mean.

References
----------
SAE J1979 / ISO 15031-5, Annex B (scaling of data; from memory of the standard's tables). Wideband sensors:
PIDs 24 to 2B with voltage, 34 to 3B with current, both with the ratio in their first two bytes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from lean_trim.formats.recording.frames import Channel

Decode = Callable[[bytes], tuple[float, ...]]
RATIO_STEP = 2.0 / 65536.0
"""λ in a count, where PID 4F names no other largest value."""
CLOSED = 0x02 | 0x10
"""Bits of the fuel system's status that mean a closed loop (10: with one sensor failed)."""
NO_SECOND = frozenset((0, 0xFF))


@dataclass(frozen=True)
class Pid:
    """One parameter.

    Attributes
    ----------
    number : of service 01.
    size : bytes of data.
    channels : that it brings.
    decode : bytes to one number a channel.
    """

    number: int
    size: int
    channels: tuple[Channel, ...]
    decode: Decode


def _u8(data: bytes, at: int = 0) -> int:
    return data[at]


def _u16(data: bytes, at: int = 0) -> int:
    return int.from_bytes(data[at : at + 2], "big")


def _one(number: int, size: int, name: str, unit: str, scale: float, offset: float = 0.0) -> Pid:
    read = _u8 if size == 1 else _u16

    def decode(data: bytes) -> tuple[float, ...]:
        return (read(data) * scale + offset,)

    return Pid(number, size, (Channel(name, unit),), decode)


def _trim(number: int, name: str) -> Pid:
    return _one(number, 1, name, "%", 100.0 / 128.0, -100.0)


def _percent(number: int, name: str) -> Pid:
    return _one(number, 1, name, "%", 100.0 / 255.0)


def _fuel_status(data: bytes) -> tuple[float, ...]:
    return (float(bool(data[0] & CLOSED)),)


def _narrow(number: int, name: str) -> Pid:
    """Voltage of a narrowband sensor; the trim beside it is FF where the sensor is not used for it."""

    def decode(data: bytes) -> tuple[float, ...]:
        return (data[0] * 0.005,)

    return Pid(number, 2, (Channel(f"{name} voltage", "V"),), decode)


def _wide(number: int, name: str) -> Pid:
    def decode(data: bytes) -> tuple[float, ...]:
        return (_u16(data) * RATIO_STEP,)

    return Pid(number, 4, (Channel(f"{name} lambda", "λ"),), decode)


def _absolute_load(data: bytes) -> tuple[float, ...]:
    return (_u16(data) * 100.0 / 255.0,)


SENSORS_BY_BANK = tuple(f"O2 sensor bank {1 + i // 4} sensor {1 + i % 4}" for i in range(8))
SENSORS_OF_FOUR_BANKS = tuple(f"O2 sensor bank {1 + i // 2} sensor {1 + i % 2}" for i in range(8))
"""Sensors by the last digit of their PID, as PID 13 or 1D says how they are counted."""


def pids(sensors: Sequence[str] = SENSORS_BY_BANK) -> Mapping[int, Pid]:
    """Parameters that are understood, by number.

    Parameters
    ----------
    sensors : names of the eight oxygen sensors.

    Returns
    -------
    One a number.
    """
    found = [
        Pid(0x03, 2, (Channel("Closed loop", ""),), _fuel_status),
        _percent(0x04, "Calculated load"),
        _one(0x05, 1, "Coolant temperature", "°C", 1.0, -40.0),
        _trim(0x06, "Short term fuel trim bank 1"),
        _trim(0x07, "Long term fuel trim bank 1"),
        _trim(0x08, "Short term fuel trim bank 2"),
        _trim(0x09, "Long term fuel trim bank 2"),
        _one(0x0A, 1, "Fuel pressure gauge", "kPa", 3.0),
        _one(0x0B, 1, "Intake manifold absolute pressure", "kPa", 1.0),
        _one(0x0C, 2, "Engine speed", "rpm", 0.25),
        _one(0x0D, 1, "Vehicle speed", "km/h", 1.0),
        _one(0x0E, 1, "Ignition timing advance", "°", 0.5, -64.0),
        _one(0x0F, 1, "Intake air temperature", "°C", 1.0, -40.0),
        _one(0x10, 2, "Mass air flow", "g/s", 0.01),
        _percent(0x11, "Throttle position"),
        _one(0x22, 2, "Fuel rail differential pressure", "kPa", 0.079),
        _one(0x23, 2, "Fuel rail pressure gauge", "kPa", 10.0),
        _one(0x33, 1, "Barometric pressure", "kPa", 1.0),
        _one(0x42, 2, "Battery voltage", "V", 0.001),
        Pid(0x43, 2, (Channel("Absolute load value", "%"),), _absolute_load),
        _one(0x44, 2, "Commanded lambda", "λ", RATIO_STEP),
        _percent(0x45, "Relative throttle position"),
        _one(0x46, 1, "Ambient air temperature", "°C", 1.0, -40.0),
        _percent(0x49, "Accelerator pedal position D"),
        _percent(0x52, "Ethanol content"),
        _one(0x59, 2, "Fuel rail pressure absolute", "kPa", 10.0),
        _one(0x5C, 1, "Oil temperature", "°C", 1.0, -40.0),
        _one(0x5E, 2, "Engine fuel rate", "L/h", 0.05),
    ]
    for place, name in enumerate(sensors):
        found.append(_narrow(0x14 + place, name))
        found.append(_wide(0x24 + place, name))
        found.append(_wide(0x34 + place, name))
    return {pid.number: pid for pid in found}


SIZES: Mapping[int, int] = {n: p.size for n, p in pids().items()} | {
    0x00: 4,
    0x20: 4,
    0x40: 4,
    0x60: 4,
    0x80: 4,
    0xA0: 4,
    0xC0: 4,
    0x01: 4,
    0x13: 1,
    0x1D: 1,
    0x4F: 4,
    0x50: 4,
}
"""Bytes of data by number, of all that are ever asked for: an answer to several has no other marks."""
LARGEST = 0x4F
LARGEST_FLOW = 0x50
"""PIDs that say what the largest count stands for, where it is another than usual."""


def with_largest(known: Mapping[int, Pid], ratios: bytes, flows: bytes) -> Mapping[int, Pid]:
    """Parameters with the scaling a car names for itself.

    Parameters
    ----------
    known : by number.
    ratios : data of PID 4F: largest λ, volts, milliamperes, manifold pressure in 10 kPa; empty if not told.
    flows : data of PID 50: largest airflow in 10 g/s, three more; empty if not told.

    Returns
    -------
    The parameters; a largest value of 0 leaves the usual scaling.
    """
    out = dict(known)
    if len(ratios) >= 4 and ratios[0]:
        step = ratios[0] / 65535.0
        for number in (0x44, *range(0x24, 0x2C), *range(0x34, 0x3C)):
            if number in out:
                out[number] = _scaled(out[number], step, 2)
    if len(ratios) >= 4 and ratios[3] and 0x0B in out:
        out[0x0B] = _scaled(out[0x0B], ratios[3] * 10.0 / 255.0, 1)
    if flows and flows[0] and 0x10 in out:
        out[0x10] = _scaled(out[0x10], flows[0] * 10.0 / 65535.0, 2)
    return out


def _scaled(pid: Pid, step: float, size: int) -> Pid:
    read = _u8 if size == 1 else _u16

    def decode(data: bytes) -> tuple[float, ...]:
        return (read(data) * step,)

    return replace(pid, decode=decode)


def supported(base: int, data: bytes) -> frozenset[int]:
    """Numbers that a mask of PIDs 00, 20, 40… names.

    Parameters
    ----------
    base : number of the PID the mask came with.
    data : four bytes, the highest bit for ``base + 1``.

    Returns
    -------
    Numbers, ``base + 32`` among them where another mask follows.
    """
    bits = int.from_bytes(data[:4], "big")
    return frozenset(base + 1 + i for i in range(32) if bits >> (31 - i) & 1)


FAST = (0x0C, 0x0B, 0x10, 0x06, 0x08, 0x44, 0x11, 0x22, 0x23, 0x59)
"""Asked for in every round, as far as the car has them: what moves with the engine."""
SLOW = (0x05, 0x0F, 0x07, 0x09, 0x0D, 0x0E, 0x03, 0x33, 0x42, 0x52, 0x04, 0x0A)
"""Asked for in turn, one a round."""
ONE_OF = ((0x22, 0x59, 0x23),)
"""Of these one tells enough."""


def wanted(
    have: frozenset[int], second_bank: bool = True
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """What a correction needs of what a car has.

    Parameters
    ----------
    have : numbers the car supports.
    second_bank : whether the trims of a second bank count.

    Returns
    -------
    Numbers for every round, and numbers to take turns.
    """
    wide = [n for n in range(0x34, 0x3C) if n in have] or [
        n for n in range(0x24, 0x2C) if n in have
    ]
    # The first sensor of each bank sits before the catalyst.
    front = [n for n in wide if (n & 7) % 4 == 0] or wide[:1]
    narrow = [] if wide else [n for n in range(0x14, 0x1C) if n in have and (n & 7) % 4 == 0]
    fast = [n for n in (*FAST[:2], *front, *FAST[2:], *narrow) if n in have]
    for group in ONE_OF:
        for spare in [n for n in group if n in fast][1:]:
            fast.remove(spare)
    if not second_bank:
        fast = [n for n in fast if n != 0x08]
    slow = [n for n in SLOW if n in have and (second_bank or n != 0x09)]
    return tuple(fast), tuple(slow)

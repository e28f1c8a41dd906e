"""A dress put together from vocabularies nobody looked at while the program was written."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from campaigns.attacking.mangled import mangled
from campaigns.attacking.units import MIXTURES, TIMES, UNITS, Written, mixture
from campaigns.attacking.vocabulary import LANGUAGES, ROLES, TIME, names_of
from campaigns.dressing.cars import CARS, FLEET_CARS, drive_of, vehicle_of
from campaigns.dressing.dress import Dress
from campaigns.dressing.scales import BARO_KPA
from lean_trim.core.data.channels import Role

PAIRS = ((Role.IAT, Role.COOLANT), (Role.STFT, Role.LTFT))
"""What one logger writes in one unit."""
CLOCKS = (
    "s",
    "s",
    "s",
    "ms",
    "us",
    "clock",
    "ISO",
    "m:s",
    "epoch",
    "date and time",
    "min",
    "cs",
    "ds",
    "h",
)
PREFIXES = ("", "", "", "", "ecu.", "ECU: ", "engine.", "log/", "ch_", "OBD.", "01_")
CUT = (4, 7)
"""Last digits of the seeds of dresses with names that were cut."""
STYLES = ("as said", "as said", "as said", "snake", "UPPER", "camel", "dots", "lower")


def is_held_out(name: str) -> bool:
    """Half of the vocabulary is looked at once, at the end."""
    return zlib.crc32(name.encode()) % 2 == 1


def attack(seed: int) -> Dress:
    """A dress by its number; odd ones use names that are held out, where there are any."""
    rng = np.random.default_rng([seed, 271])

    def pick(options: Sequence[str]) -> str:
        return options[int(rng.integers(len(options)))]

    language = pick(LANGUAGES)
    style = pick(STYLES)
    prefix = pick(PREFIXES) if language in ("en", "abbreviated") else ""
    plain = {role: _named(role, language, seed, rng) for role in ROLES}
    # Of ten dresses two have names that were cut; whoever reads them may have to ask.
    cut = seed % 10 in CUT
    if cut:
        draw = np.random.default_rng([seed, 314])
        plain = {role: mangled(name, draw) for role, name in plain.items()}
    names = {role: prefix + styled(name, style) for role, name in plain.items()}
    car = pick((*CARS, *FLEET_CARS))
    kind = pick(MIXTURES)
    bare = rng.random() < 0.15
    chosen = _units(rng, kind, vehicle_of(car).stoich_afr, bare)
    if Role.MAP in chosen and chosen[Role.MAP].gauge:
        chosen[Role.MAP] = above_barometer(chosen[Role.MAP], baro_of(car))
    clock = pick(CLOCKS if not bare else ("s", "s", "ms", "clock", "ISO"))
    marks: dict[str, object] = {"shuffled": rng.random() < 0.5}
    clear = all(w.clear for w in chosen.values()) and _is_clear(chosen, kind, car) and not cut
    if clock in TIMES:
        factor, texts = TIMES[clock]
        marks |= {
            "time factor": factor,
            "time unit": pick(texts) if clock != "cs" or not bare else "cs",
        }
    without = {r for r in (Role.SPEED, Role.SPARK, Role.FUEL_DP) if rng.random() < 0.4}
    delimiter = pick((",", ",", ";", "\t"))
    return Dress(
        name=f"attack {seed} ({language}, {style}{', cut' if cut else ''})",
        header=pick(("brackets", "round", "row", "brackets", "comma")) if not bare else "none",
        delimiter=delimiter,
        decimal="," if delimiter == ";" and rng.random() < 0.7 else ".",
        time=clock if clock not in TIMES else "s",
        car=car,
        decoys=rng.random() < 0.3,
        without=frozenset({Role.KNOCK, *without}),
        clear=clear,
        marks=marks,
        own_names=names,
        own_scales={role: (w.text, w.convert) for role, w in chosen.items()},
    )


def baro_of(car: str) -> float:
    """Where a car is driven, kPa."""
    log = drive_of(car)[1]
    return float(np.nanmedian(log[Role.BARO])) if Role.BARO in log else BARO_KPA


def above_barometer(written: Written, baro_kpa: float) -> Written:
    """A gauge pressure of a car that is driven elsewhere."""
    convert = written.convert
    return replace(written, convert=lambda x: convert(x - baro_kpa + BARO_KPA))


def _named(role: Role | str, language: str, seed: int, rng: np.random.Generator) -> str:
    # Half of the names are of the vocabularies that were put down later.
    names = names_of(role, language, later=rng.random() < 0.5)
    some = [n for n in names if is_held_out(n) == bool(seed % 2)] or list(names)
    return some[int(rng.integers(len(some)))]


def styled(name: str, style: str) -> str:
    """A name in the habits of programmers, where it is written in Latin letters."""
    if not name.isascii() or style == "as said":
        return name
    words = name.replace("'", " ").replace(".", "").replace("-", " ").split()
    if style == "camel":
        return "".join(w[:1].upper() + w[1:] for w in words)
    joined = {"snake": "_", "dots": ".", "UPPER": "_", "lower": " "}[style].join(words)
    return joined.upper() if style == "UPPER" else joined.lower()


def _units(rng: np.random.Generator, kind: str, stoich: float, bare: bool) -> dict[Role, Written]:
    def pick(options: Sequence[Written]) -> Written:
        return options[int(rng.integers(len(options)))]

    chosen: dict[Role, Written] = {}
    for role, options in UNITS.items():
        # Most channels of most logs are in the usual unit.
        usual = options[0]
        # A logger whose user switched units did so once.
        chosen[role] = usual if rng.random() < 0.45 else pick(options)
    for one, other in PAIRS:
        chosen[other] = chosen[one]
    both = pick(mixture(kind, stoich))
    chosen[Role.LAMBDA] = chosen[Role.TARGET] = both
    if bare:
        # Without units only what anybody would take for granted.
        chosen = {role: UNITS[role][0] for role in UNITS}
        chosen[Role.LAMBDA] = chosen[Role.TARGET] = mixture("λ", stoich)[0]
    return chosen


def _is_clear(chosen: dict[Role, Written], kind: str, car: str) -> bool:
    """Whether a person with the sheet reads it at once.

    Of a car that is far off or knows no mixture, nobody knows whose scale an AFR is on.
    """
    return not kind.startswith("AFR") or "petrol" in chosen[Role.LAMBDA].text or car in CARS


__all__ = ["TIME", "attack", "is_held_out", "styled"]

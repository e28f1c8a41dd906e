"""Which roles a column may play, by its name and its unit."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache

from lean_trim.core.data.channels import Role
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.lexicon import (
    Meaning,
    legible_words,
    meaning_of,
    plain_name,
    spelled,
)
from lean_trim.formats.meaning.scaled_units import parts_of
from lean_trim.formats.meaning.units import (
    AIRFLOW,
    MANIFOLD,
    MIXTURE_UNITS,
    SPEED,
    TEMPERATURE,
    is_unit,
    is_unit_of,
    tidy_unit,
    unit_at_end,
    unit_behind_comma,
)

__all__ = [
    "PAIRED",
    "Candidate",
    "candidates",
    "is_time",
    "legible_words",
    "plain_name",
    "role_of",
    "split_unit",
    "time_score",
]


@dataclass(frozen=True)
class Frame:
    """What a name must say to stand for a role.

    Attributes
    ----------
    needs : alternatives, each some atoms with how well they name the role, 0 to 1.
    allows : atoms that may stand beside them; any other one means that something else is named.
    """

    needs: tuple[tuple[str, float], ...]
    allows: str = ""


_AIR_SENSOR = "air mass flow measured sensor intake absolute"
FRAMES: dict[Role, Frame] = {
    Role.RPM: Frame(
        (("rpm", 1.0), ("engine speed", 1.0), ("engine freq", 0.6)), "engine speed measured sensor"
    ),
    Role.MAP: Frame(
        (
            ("map", 1.0),
            ("manifold pressure", 1.0),
            ("intake pressure", 0.95),
            ("boost", 0.85),
            ("vacuum", 0.7),
            ("manifold absolute", 0.9),
            ("intake air pressure", 0.9),
        ),
        "manifold intake air absolute gauge pressure measured boost sensor vacuum engine turbo "
        "average",
    ),
    Role.THROTTLE: Frame(
        (("throttle", 1.0),),
        "throttle position angle absolute gauge measured sensor engine air before number",
    ),
    Role.IAT: Frame(
        (
            ("iat", 1.0),
            ("intake temp", 1.0),
            ("air temp", 0.95),
            ("boost temp", 0.6),
            ("manifold temp", 0.8),
            ("intake air", 0.6),
        ),
        "iat intake air manifold boost temp measured sensor engine map after",
    ),
    Role.COOLANT: Frame(
        (("ect", 1.0), ("coolant temp", 1.0), ("coolant", 0.8), ("engine temp", 0.85)),
        "ect coolant engine temp measured sensor cylinder",
    ),
    Role.BATTERY: Frame(
        (("vbat", 1.0), ("battery voltage", 0.95), ("battery", 0.7), ("vehicle voltage", 0.85)),
        "vbat battery voltage measured sensor engine",
    ),
    Role.LAMBDA: Frame(
        (
            ("mixture measured", 1.0),
            ("mixture", 0.9),
            ("wideband", 0.95),
            ("mixture wideband", 1.0),
        ),
        "mixture wideband o2 sensor measured exhaust ratio before engine air fuel average",
    ),
    Role.TARGET: Frame(
        (("mixture wanted", 1.0), ("wideband wanted", 0.9), ("wanted", 0.55)),
        "mixture wideband wanted o2 sensor ratio fuel air engine",
    ),
    Role.STFT: Frame(
        (
            ("stft", 1.0),
            ("short trim", 1.0),
            ("short correction", 0.95),
            ("integrator", 0.7),
            ("trim", 0.5),
            ("mixture correction", 0.5),
            ("o2 correction", 0.6),
            ("short integrator", 0.9),
            ("short loop", 0.6),
            ("loop correction", 0.8),
            ("mixture loop correction", 0.95),
            ("short", 0.5),
            ("short mixture", 0.7),
        ),
        "stft short trim correction integrator fuel mixture o2 loop sensor wideband measured "
        "engine",
    ),
    Role.LTFT: Frame(
        (
            ("ltft", 1.0),
            ("long trim", 1.0),
            ("long correction", 0.95),
            ("long integrator", 0.8),
            ("long mixture", 0.8),
            ("long", 0.6),
            ("long fuel", 0.6),
        ),
        "ltft long trim correction integrator fuel mixture loop measured engine",
    ),
    Role.CLOSED_LOOP: Frame(
        (("loop", 0.9), ("loop status", 1.0), ("fuel status", 0.7)),
        "loop status fuel mixture o2 engine integrator",
    ),
    Role.PULSE_WIDTH: Frame(
        (
            ("pw", 1.0),
            ("injector duration", 1.0),
            ("injector time", 0.9),
            ("injector pw", 1.0),
            ("fuel pw", 0.95),
            ("injector", 0.5),
        ),
        "pw injector duration time fuel measured engine before position cylinder wanted",
    ),
    Role.DUTY: Frame(
        (("idc", 1.0), ("injector duty", 1.0), ("duty", 0.5)),
        "idc injector duty fuel measured engine",
    ),
    Role.FUEL_DP: Frame(
        (
            ("fuel pressure", 1.0),
            ("injector pressure delta", 0.9),
            ("rail pressure", 0.95),
            ("fuel delta", 0.9),
            ("injector delta", 0.8),
            ("rail delta", 0.85),
            ("rail", 0.5),
        ),
        "fuel rail pressure delta measured gauge absolute sensor injector engine",
    ),
    Role.BARO: Frame(
        (("baro", 1.0), ("ambient pressure", 1.0)),
        "baro ambient pressure absolute air measured sensor",
    ),
    Role.SPEED: Frame(
        (
            ("vss", 1.0),
            ("vehicle speed", 1.0),
            ("wheel speed", 0.6),
            ("gps speed", 0.65),
            ("speed", 0.75),
        ),
        "vss vehicle speed wheel gps measured sensor",
    ),
    Role.GEAR: Frame((("gear", 1.0),), "gear position measured engine"),
    Role.SPARK: Frame(
        (("spark", 0.95), ("spark angle", 1.0)), "spark angle measured engine cylinder position"
    ),
    Role.KNOCK: Frame(
        (
            ("knock retard", 1.0),
            ("knock correction", 0.8),
            ("knock angle", 0.8),
            ("knock spark", 0.7),
            ("knock", 0.6),
        ),
        "knock retard correction angle spark sensor measured engine",
    ),
    Role.MAF_HZ: Frame(
        (("maf freq", 1.0), ("air flow freq", 0.9), ("flow freq", 0.75), ("air freq", 0.7)),
        f"maf freq {_AIR_SENSOR}",
    ),
    Role.MAF_V: Frame(
        (("maf voltage", 1.0), ("air flow voltage", 0.9)), f"maf voltage {_AIR_SENSOR}"
    ),
    Role.MAF_FLOW: Frame(
        (
            ("maf", 1.0),
            ("maf flow", 1.0),
            ("air flow", 0.95),
            ("air mass", 0.9),
            ("air mass flow", 1.0),
        ),
        f"maf {_AIR_SENSOR} engine",
    ),
    Role.AIRFLOW_SOURCE: Frame((("source", 1.0),), "source air flow load status maf"),
    Role.ETHANOL: Frame((("ethanol", 1.0),), "ethanol fuel measured sensor"),
    Role.BANK_GAP: Frame((("bankgap", 1.0),), "bankgap fuel wanted"),
}
"""By how much a name stands for a role. Qualifiers such as wanted or limit are allowed nowhere but
where they
are part of the role."""
PAIRED = (Role.STFT, Role.LTFT, Role.LAMBDA, Role.PULSE_WIDTH)
"""Roles that come in banks."""
UNKNOWN_WORD = 0.06
MOST_UNKNOWN = 0.18
OF_ANY_READING = frozenset(("measured", "average"))
"""What a name may say of any channel."""
SWITCH_UNITS = frozenset(("0/1", "on/off", "bool", "bit", "state", "status"))
"""What is on or off: no trim."""
MOST_NAMES = 4096
"""Columns whose roles are remembered: each is asked about several times while a log is read."""
NO_UNIT = 0.9
WRONG_UNIT = 0.35
ODD_UNIT = 0.7
RAW_ROLES = {"hz": Role.MAF_HZ, "khz": Role.MAF_HZ, "v": Role.MAF_V, "mv": Role.MAF_V}


@dataclass(frozen=True)
class Candidate:
    """A role a column may play. ``score`` is 0 to 1; ``bank`` 0 if the name does not tell."""

    role: Role
    column: Column
    score: float
    bank: int = 0
    sensor: int = 0


def split_unit(header: str) -> tuple[str, str]:
    """Separate "Name [unit]", "Name (unit)", "Name, unit" or "Name_unit"; no unit gives "".

    What stands in round brackets and is a word of a name stays one.

    Parameters
    ----------
    header : a column's head.

    Returns
    -------
    Name and unit.
    """
    text = header.strip().strip('"').strip()
    # Behind a comma brackets are the unit's own: kPa(g).
    if text.endswith(")") and (apart := unit_behind_comma(text))[0]:
        return apart
    # Round brackets within square ones are the unit's own as well: [bar(g)].
    found = re.fullmatch(r"(.*?)\s*(\[)([^\[\]]*)\]\s*", text) or re.fullmatch(
        r"(.*?)\s*([\[(<{（【])([^\])>}）】]*)[\])>}）】]\s*", text
    )
    if found and found[1]:
        inner = found[3].strip()
        meaning = meaning_of(inner)
        says_something = bool(meaning.atoms or meaning.bank or meaning.sensor)
        # Of several words one that is known is enough: no unit is called "post IC".
        named = says_something and (not meaning.unknown or " " in inner)
        if is_unit(inner) or (found[2] != "(" and found[2] != "（") or not named:
            return _without_unit(found[1]), inner
        return f"{found[1]} {inner}", ""
    name, unit = unit_at_end(text)
    return (name, unit) if name else (text, "")


def _without_unit(name: str) -> str:
    """A name without the unit that stands in it although another one is stated behind."""
    found = re.fullmatch(r"(.+?)\s*[(\[]([^()\[\]]*)[)\]]", name)
    return found[1] if found and is_unit(found[2]) else name


def time_score(name: str) -> float:
    """How well a name stands for the time of the rows, 0 to 1.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    0 where it names something else.
    """
    meaning = meaning_of(name)
    if "time" not in meaning.atoms:
        return 0.45 if meaning.atoms == {"date"} else 0.0
    others = meaning.atoms - {
        "time",
        "date",
        "measured",
        "absolute",
        "gauge",
        "delta",
        "average",
        "gps",
    }
    if others:
        # "Engine run time" may do where there is nothing better.
        return 0.3 if others <= {"engine"} else 0.0
    return 1.0 - min(0.05 * len(meaning.unknown), 0.3) - (0.3 if "delta" in meaning.atoms else 0.0)


def is_time(name: str) -> bool:
    """True if a name stands for the time of the rows.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    Whether it does.
    """
    return time_score(name) >= 0.5


@lru_cache(maxsize=MOST_NAMES)
def candidates(column: Column) -> tuple[Candidate, ...]:
    """The roles a column may play by name and unit, the best first.

    Parameters
    ----------
    column : with name and unit.

    Returns
    -------
    Roles with a score above 0.
    """
    if time_score(column.own_name) >= 0.5 and not _is_other_quantity(column.unit):
        return ()
    unit = tidy_unit(column.unit)
    meaning = _with_quantity(meaning_of(column.own_name), column.own_name, unit)
    bank = meaning.bank or meaning.number
    out = []
    for role, frame in FRAMES.items():
        # Counts have no unit: what has a role's is no raw count of it.
        raw = "raw" in meaning.atoms and bool(column.unit) and is_unit_of(role, unit)
        score = _by_name(role, frame, _without_raw(meaning) if raw else meaning)
        # Many logs name the sensor only; its unit says whether signal or flow is meant.
        if (
            role in (Role.MAF_HZ, Role.MAF_V)
            and "maf" in meaning.atoms
            and RAW_ROLES.get(unit) is role
        ):
            score = max(score, _by_name(Role.MAF_FLOW, FRAMES[Role.MAF_FLOW], meaning))
        score *= _by_unit(role, unit)
        if score > 0.0:
            own_bank = bank if role in PAIRED else 0
            out.append(Candidate(role, column, score, own_bank, meaning.sensor))
    return tuple(sorted(out, key=lambda c: -c.score))


QUANTITIES: tuple[tuple[str, frozenset[str]], ...] = (
    ("pressure", frozenset(MANIFOLD)),
    ("temp", frozenset(TEMPERATURE)),
    ("voltage", frozenset(("v", "mv"))),
    ("freq", frozenset(("hz", "khz"))),
    ("speed", frozenset((*SPEED, "rpm", "krpm", "rad/s"))),
    ("duration", frozenset(("ms", "us", "s"))),
    ("flow", frozenset(AIRFLOW)),
    ("angle", frozenset(("deg",))),
    ("mixture", frozenset(MIXTURE_UNITS)),
)
"""What a column in such a unit is, whatever word its name leaves out."""
SYMBOLS = {
    "p": ("pressure",),
    "t": ("temp",),
    "т": ("temp",),
    "n": ("speed",),
    "u": ("voltage",),
    "v": ("speed", "voltage"),
    "f": ("freq",),
}
"""Letters that physicists put before an index: what they stand for."""
_SYMBOL = re.compile(r"^(?:\d+ )?([ptтnuvf])(?= )|(?<= )([npt])$|^(n)$")


def _is_other_quantity(unit: str) -> bool:
    """Whether a unit is one of something else than time."""
    tidy = tidy_unit(unit)
    return any(tidy in units for quantity, units in QUANTITIES if quantity != "duration")


def _with_quantity(meaning: Meaning, name: str, unit: str) -> Meaning:
    """What a name says, with the quantity that its unit or a symbol before its index stands for."""
    base = tidy_unit(parts[0].base) if (parts := parts_of(unit)) else unit
    by_unit = {quantity for quantity, units in QUANTITIES if base in units}
    found = _SYMBOL.search(spelled(name))
    letter = next((g for g in found.groups() if g), "") if found else ""
    said = set(SYMBOLS.get(letter, ()))
    # The index says what is meant, and a unit would have to agree.
    if (
        (unit and not by_unit & said)
        or (letter == "t" and "injector" in meaning.atoms)
        or meaning.atoms & {"rpm", "trim", "correction"}
    ):
        said = set()
    # A letter alone says speed, not that of a car, and only beside nothing else.
    atoms = set(meaning.atoms)
    if letter == "t" and "temp" in said:
        atoms.discard("time")
    if letter == "n" and said and atoms <= {"engine"}:
        return replace(meaning, atoms=frozenset((*atoms, "engine", "speed")))
    if said:
        kind = by_unit & said or ({"speed"} if "vehicle" in atoms else set(SYMBOLS[letter][-1:]))
        return replace(meaning, atoms=frozenset(atoms | kind))
    # Where a name says what it is of and no quantity, the unit says which.
    if by_unit and not atoms & KINDS_OF_QUANTITY:
        return replace(meaning, atoms=frozenset(atoms | by_unit))
    return meaning


# fmt: off
KINDS_OF_QUANTITY = frozenset((
    "pressure", "temp", "voltage", "freq", "speed", "duration", "flow", "angle", "position",
    "duty", "ratio", "mass", "current", "rpm", "map", "maf", "throttle", "iat", "ect", "vbat",
    "mixture", "stft", "ltft", "pw", "idc", "baro", "vss", "spark", "knock", "gear", "time",
    "date", "trim", "correction", "boost", "vacuum", "load", "wideband",
))
# fmt: on
"""Atoms that say themselves what is measured."""


def _without_raw(meaning: Meaning) -> Meaning:
    return replace(meaning, atoms=meaning.atoms - {"raw"})


def _by_name(role: Role, frame: Frame, meaning: Meaning) -> float:
    atoms = meaning.atoms
    best = max((worth for needs, worth in frame.needs if set(needs.split()) <= atoms), default=0.0)
    if not best:
        return 0.0
    # What names another thing beside it names another thing: pressure of oil, limit of rpm.
    strange = atoms - {*frame.allows.split(), *_needed(frame), *OF_ANY_READING}
    # A guess from part of a word is no more than a word nobody knows.
    if not strange <= meaning.guessed:
        return 0.0
    # Only the first sensor of a bank sits before the converter.
    if role in (Role.LAMBDA, Role.TARGET) and ("after" in atoms or meaning.sensor > 1):
        return 0.0
    return best - min(UNKNOWN_WORD * (len(meaning.unknown) + len(strange)), MOST_UNKNOWN)


def says_another_thing(
    role: Role, column: Column, allowed: frozenset[str] = frozenset(), surely: bool = False
) -> bool:
    """Whether a name says in words that are known that something else is meant.

    Parameters
    ----------
    role : that the column might play.
    column : with its name.
    allowed : atoms that are no objection here.
    surely : what only words cut short may stand for is no objection either.

    Returns
    -------
    False for a name that says nothing, or a part of what would name the role.
    """
    frame = FRAMES[role]
    meaning = meaning_of(column.own_name)
    if meaning.sensor > 1:
        return True
    said = meaning.atoms - meaning.guessed if surely else meaning.atoms
    return not said <= {*frame.allows.split(), *_needed(frame), *NEUTRAL, *allowed}


def says(column: Column, atom: str) -> bool:
    """Whether a name speaks of something.

    Parameters
    ----------
    column : with its name.
    atom : of the word tables.

    Returns
    -------
    True for any word or abbreviation of it.
    """
    return atom in meaning_of(column.own_name).atoms


def is_exhaust_sensor(column: Column) -> bool:
    """Whether a name speaks of a sensor in the exhaust, of whatever kind.

    Returns True for a lambda sensor or an oxygen sensor before the converter.
    """
    return "o2" in meaning_of(column.own_name).atoms


NEUTRAL = frozenset(
    ["measured", "temp", "pressure", "voltage", "freq", "speed", "duration", "ratio", "angle"]
)
"""Atoms that say a quantity, and not of what."""


def _needed(frame: Frame) -> set[str]:
    return {atom for needs, _ in frame.needs for atom in needs.split()}


def _by_unit(role: Role, unit: str) -> float:
    if not unit:
        return NO_UNIT
    if role in (Role.STFT, Role.LTFT) and unit in SWITCH_UNITS:
        return 0.0
    if is_unit_of(role, unit):
        return 1.0
    # A unit that nobody knows may be ours in other letters; one of another kind says that it is not
    # this.
    return WRONG_UNIT if is_unit(unit) else ODD_UNIT


def role_of(name: str) -> Role | None:
    """The role a name stands for, whatever its unit; None if there is none.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    The role, or None.
    """
    found = candidates(Column(0, name, ""))
    return found[0].role if found and found[0].score > 0.3 else None

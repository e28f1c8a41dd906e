"""Which column plays which role, by its name (English, German, French, Spanish habits) and its unit."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from lean_trim.core.data.channels import Role
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.units import UNITS, tidy_unit

LAMBDA_WORDS = r"(afr|lambda|λ|mixture|air[ /-]?fuel|equivalence|eq ?ratio|gemisch|richesse|mezcla)"
WANTED = (
    r"(command(ed)?|target|desired|request(ed)?|soll(wert)?|setpoint"
    r"|cible|consigne|objetivo|deseado|demand(ed)?)"
)
# The order matters: the first pattern that fits wins, so that "target lambda" is not λ, nor "MAF voltage" a
# flow.
PATTERNS: tuple[tuple[Role, str], ...] = (
    (
        Role.STFT,
        r"\bstft|short[ -]?(term)?[ -]?(fuel)?[ -]?(trim|corr)|kurzzeit|court terme|corto plazo|fuel trim "
        r"short",
    ),
    (
        Role.LTFT,
        r"\bltft|long[ -]?(term)?[ -]?(fuel)?[ -]?(trim|corr)|langzeit|long terme|largo plazo|fuel trim long",
    ),
    (Role.TARGET, rf"{WANTED}.*{LAMBDA_WORDS}|{LAMBDA_WORDS}.*{WANTED}|^commanded$|^target$"),
    (
        Role.LAMBDA,
        r"wide ?band|breitband|\buego\b|\bwbo2?\b|\bo2 wb\b|\b(afr|lambda|λ|air[ /-]?fuel( "
        r"ratio)?|phi|richesse|mezcla)\b",
    ),
    (
        Role.AIRFLOW_SOURCE,
        r"air ?flow (source|model|mode)|load source|\bmaf (share|blend|active|in use)|(ve|maf)[ /-](maf|ve) "
        r"(mode|blend|source|share)"
        r"|luftmassenquelle|lastquelle|source (de )?charge|fuente de carga",
    ),
    (
        Role.CLOSED_LOOP,
        r"closed[ -]?loop|fuel(l)?ing status|fuel system status|loop status|regelkreis|boucle ferm|lazo "
        r"cerrado",
    ),
    (
        Role.PULSE_WIDTH,
        r"pulse ?width|injection (time|duration)|inj(ector)? (time|pw|open)|\bi?pw\b|einspritz(zeit|dauer)"
        r"|temps d.?injection|tiempo de inyecci",
    ),
    (Role.DUTY, r"\bduty|\bidc\b|tastverh|rapport cyclique inj|ciclo de trabajo"),
    (
        Role.FUEL_DP,
        r"fuel press.*(delta|diff|dp)|(delta|diff|dp).*fuel press|fuel (delta|diff)|fuel press|rail "
        r"press|kraftstoffdruck"
        r"|benzindruck|pression (de )?(carburant|essence)|presion.*(combustible|gasolina)",
    ),
    (Role.KNOCK, r"knock.*(retard|pull|corr)|klopf.*(ruck|reg)|cliquetis|picado"),
    (Role.SPARK, r"spark|ignition (advance|timing|angle)|^timing|zund(winkel|zeit)|avance|encendido"),
    (Role.MAF_HZ, r"(\bmaf\b|air ?flow|luftmasse).*(freq|hz|period)"),
    (Role.MAF_V, r"(\bmaf\b|air ?flow|luftmasse).*volt"),
    (Role.MAF_FLOW, r"\bmaf\b|mass air ?flow|air ?mass|air ?flow|luftmasse|debit d.?air|masa de aire|caudal"),
    (Role.BARO, r"baro|ambient press|atmosph|umgebungsdruck|luftdruck"),
    (
        Role.MAP,
        r"\bmap\b|manifold (abs|press|air press|gauge)|saugrohr|ladedruck|collecteur|colector|intake "
        r"press|boost( press|$)|inlet press"
        r"|pression (d.?)?(admission|tubulure)|presion (de )?admision",
    ),
    (
        Role.IAT,
        r"\biat\b|(intake|inlet|charge)[ -]?(air)?[ -]?temp|intake "
        r"air|\bact\b|\bmat\b|ansaugluft|lufttemp|air temp|temp.*\bair\b"
        r"|aire? (d.?)?admi",
    ),
    (
        Role.COOLANT,
        r"coolant|\bect\b|\bclt\b|water temp|engine "
        r"temp|kuhl(mittel|wasser)|wassertemp|motortemp|liquide|temp.*eau"
        r"|refrigerante|temp.*agua",
    ),
    (
        Role.BATTERY,
        r"batt?er[iy]|\bvbat|supply volt|system volt|control module "
        r"volt|bord(netz)?spannung|\btension|voltaje",
    ),
    (Role.THROTTLE, r"throttle|\btps\b|\btp\b|drossel|papillon|mariposa"),
    (
        Role.SPEED,
        r"(vehicle|road|wheel|ground)[ -]?speed|\bvss\b|fahrgeschw|geschwindigkeit|vitesse "
        r"(vehicule|du)|velocidad|^speed$|^vitesse$",
    ),
    (
        Role.RPM,
        r"\brpm\b|engine[ -]?speed|motordrehzahl|drehzahl|regime|\brevs\b|vitesse moteur|revoluciones",
    ),
    (Role.GEAR, r"^gear$|gear[ -]?(pos|num|engaged|sel)|\bgang\b|rapport engage|marcha"),
)
# Names that sound right but hold something else.
NOT_THIS = re.compile(r"accelerator|pedal|raw|sensor volt|\badc\b|min\b|max\b|alarm|warning|error$")
TIME = re.compile(
    r"^(log )?(time|t|zeit|uhrzeit|temps|tiempo|hora|heure|timestamps?|elapsed.*|seconds|offset"
    r"|time ?base)\b",
    re.IGNORECASE,
)
BANK = re.compile(r"\b(?:bank|banc|banco|b|sensor|s)\s?([12])\b|(?<=\D)\b([12])$|(?<=[a-z])([12])$")
_COMPILED = tuple((role, re.compile(pattern)) for role, pattern in PATTERNS)
PAIRED = (Role.STFT, Role.LTFT, Role.LAMBDA, Role.PULSE_WIDTH)


@dataclass(frozen=True)
class Candidate:
    """A column that may play a role. ``score`` is 0 to 1; ``bank`` 0 if the name does not tell."""

    role: Role
    column: Column
    score: float
    bank: int


@dataclass(frozen=True)
class Assignment:
    """Roles with their columns (two for two banks), and what could not be settled by name."""

    columns: Mapping[Role, tuple[Column, ...]]
    confidence: Mapping[Role, float]
    rivals: Mapping[Role, tuple[Column, ...]] = field(default_factory=dict)


def split_unit(header: str) -> tuple[str, str]:
    """Separate "Name [unit]" or "Name (unit)" into name and unit; no unit gives "".

    Parameters
    ----------
    header : a column's head.

    Returns
    -------
    Name and unit.
    """
    found = re.fullmatch(r"\s*(.*?)\s*[\[(]([^\])]*)[\])]\s*", header)
    if found and found.group(1):
        return found.group(1), found.group(2).strip()
    return header.strip(), ""


def plain_name(name: str) -> str:
    """Lower case, without accents, underscores and camel case.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    Words as they are compared.
    """
    spaced = re.sub(r"[_.:/\\]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name))
    flat = unicodedata.normalize("NFKD", spaced.lower())
    return re.sub(r"\s+", " ", "".join(c for c in flat if not unicodedata.combining(c))).strip()


def role_of(name: str) -> Role | None:
    """The first role whose pattern fits the name, or None.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    The role, or None.
    """
    text = plain_name(name)
    return next((role for role, pattern in _COMPILED if pattern.search(text)), None)


def candidate(column: Column) -> Candidate | None:
    """The role a column may play, judged by name and unit; None if there is none.

    Parameters
    ----------
    column : with name and unit.

    Returns
    -------
    Role with score and bank, or None.
    """
    role = role_of(column.name)
    unit = tidy_unit(column.unit)
    text = plain_name(column.name)
    if role is None:
        return None
    # Many logs name the sensor only; its unit says whether signal or flow is meant.
    if role is Role.MAF_FLOW:
        role = Role.MAF_HZ if unit in ("hz", "khz") else Role.MAF_V if unit in ("v", "mv") else role
    known = UNITS.get(role)
    fits = known is None or unit in known or unit == ""
    # A wrong unit weighs more than a good name, yet leaves it among the choices.
    score = 0.9 if fits and unit else 0.75 if fits else 0.35
    if NOT_THIS.search(text):
        score -= 0.4
    bank = BANK.search(text) if role in PAIRED else None
    return Candidate(role, column, score, int(next(g for g in bank.groups() if g)) if bank else 0)


def assign_roles(columns: Sequence[Column]) -> Assignment:
    """Give every role its best column; two banks give two; equally good ones are rivals to be asked about.

    Parameters
    ----------
    columns : all of a log.

    Returns
    -------
    Roles with their columns, confidence, and rivals.
    """
    found: dict[Role, list[Candidate]] = {}
    for column in columns:
        # A name that only sounds right is left to the user altogether.
        if (c := candidate(column)) is not None and c.score > 0.3:
            found.setdefault(c.role, []).append(c)
    chosen: dict[Role, tuple[Column, ...]] = {}
    confidence: dict[Role, float] = {}
    rivals: dict[Role, tuple[Column, ...]] = {}
    for role, group in found.items():
        best = max(c.score for c in group)
        top = [c for c in group if c.score >= best - 0.05]
        # Reversed, so that of several with one bank the first in the file stays.
        banks = {c.bank: c for c in reversed(top)}
        if {1, 2} <= set(banks):
            chosen[role] = (banks[1].column, banks[2].column)
        else:
            chosen[role] = (top[0].column,)
            # The same name twice is the same channel logged twice, no question.
            if len(top) > 1 and len({c.column.name for c in top}) > 1:
                rivals[role] = tuple(c.column for c in top[1:])
        confidence[role] = best - (0.3 if role in rivals else 0.0)
    return Assignment(chosen, confidence, rivals)

"""Which column is which channel, by name, unit and the values themselves."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from ..core.channels import Role

PATTERNS: tuple[tuple[Role, str], ...] = (
    (Role.STFT, r"\b(stft|short[ -]?(term)?[ -]?(fuel)?[ -]?trim|kurzzeit.*trim)"),
    (Role.LTFT, r"\b(ltft|long[ -]?(term)?[ -]?(fuel)?[ -]?trim|langzeit.*trim)"),
    (
        Role.TARGET,
        r"(command|target|desired|request|soll|setpoint|cible|objetivo).*(afr|lambda|λ|mixture|eq)?$"
        r"|(afr|lambda|λ).*(command|target|desired|soll|setpoint|cible|objetivo)",
    ),
    (Role.LAMBDA, r"wide ?band|\b(afr|lambda|λ|air[ /-]?fuel( ratio)?|o2 wb)\b"),
    (Role.CLOSED_LOOP, r"closed[ -]?loop|fuel(l)?ing status|loop status"),
    (
        Role.PULSE_WIDTH,
        r"pulse ?width|injection time|inj(ector)? (time|pw)\b|\bpw\b|einspritz(zeit|dauer)|temps d.injection",
    ),
    (Role.DUTY, r"\bduty|\bidc\b"),
    (
        Role.FUEL_DP,
        r"fuel press|fuel.*(delta|diff)|rail press|kraftstoffdruck|pression carburant|presi[oó]n.*combustible",
    ),
    (Role.KNOCK, r"knock.*(retard|pull)|klopf.*r[uü]ck"),
    (Role.SPARK, r"spark|ignition (advance|timing)|timing|z[uü]nd(winkel|zeit)|avance"),
    (Role.MAF_HZ, r"\b(maf|air ?flow|luftmasse)\b.*(freq|hz)"),
    (Role.MAF_V, r"\bmaf\b.*volt"),
    (Role.MAF_FLOW, r"\bmaf\b|mass air ?flow|air mass|luftmasse|d[eé]bit d.air|caudal"),
    (Role.BARO, r"baro|ambient press|atmosph|umgebungsdruck"),
    (Role.MAP, r"\bmap\b|manifold|saugrohrdruck|collecteur|colector|boost press"),
    (Role.IAT, r"\biat\b|intake air|inlet air|\bact\b|ansaugluft|air temp|temp.*air|charge temp"),
    (Role.COOLANT, r"coolant|\bect\b|\bclt\b|water temp|k[uü]hl(mittel|wasser)|liquide de refroid|refrigerante"),
    (Role.BATTERY, r"battery|\bvbat|supply volt|system volt|bord(netz)?spannung|batter|tension"),
    (Role.THROTTLE, r"throttle|\btps\b|\btp\b|drossel|papillon|mariposa"),
    (Role.SPEED, r"(vehicle|road|wheel|ground) ?speed|\bvss\b|geschwindigkeit|vitesse|velocidad"),
    (Role.RPM, r"\brpm\b|engine ?speed|motor(dreh)?zahl|drehzahl|r[eé]gime|revs"),
    (Role.GEAR, r"^gear$|gear (pos|num|engaged)|\bgang\b|rapport|marcha"),
)
TIME = re.compile(r"^(log )?(time|t|zeit|temps|tiempo|timestamp|elapsed.*|seconds|offset)\b", re.IGNORECASE)
_COMPILED = tuple((role, re.compile(pattern, re.IGNORECASE)) for role, pattern in PATTERNS)


@dataclass(frozen=True)
class Column:
    """A column as it stands in the file: name without unit, unit text, index."""

    index: int
    name: str
    unit: str


def split_unit(header: str) -> tuple[str, str]:
    """Separate "Name [unit]" or "Name (unit)" into name and unit; no unit gives ""."""
    found = re.fullmatch(r"\s*(.*?)\s*[\[(]([^\])]*)[\])]\s*", header)
    if found and found.group(1):
        return found.group(1), found.group(2).strip()
    return header.strip(), ""


def role_of(name: str) -> Role | None:
    """The first role whose pattern fits the name, or None."""
    text = re.sub(r"[_.]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)).strip()
    for role, pattern in _COMPILED:
        if pattern.search(text):
            return role
    return None


def recognise(columns: list[Column], chosen: Mapping[str, Role] | None = None) -> dict[Role, Column]:
    """Assign one column to every role that is found; the user's choices by column name go first."""
    found: dict[Role, Column] = {}
    for column in columns:
        if chosen and column.name in chosen:
            found[chosen[column.name]] = column
    for column in columns:
        role = role_of(column.name)
        if role is Role.MAF_FLOW and column.unit.strip().lower() in ("hz", "khz"):
            role = Role.MAF_HZ
        if role is Role.MAF_FLOW and column.unit.strip().lower() == "v":
            role = Role.MAF_V
        if role is not None and role not in found and not (chosen and column.name in chosen):
            found[role] = column
    return found

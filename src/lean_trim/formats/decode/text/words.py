"""States that loggers write as words: on and off, open and closed loop, gears."""

from __future__ import annotations

import re

ON_WORDS = frozenset(
    [
        "on",
        "true",
        "yes",
        "active",
        "enabled",
        "closed",
        "cl",
        "ein",
        "an",
        "ja",
        "aktiv",
        "geschlossen",
        "oui",
        "actif",
        "sí",
        "si",
        "attivo",
        "sim",
        "ativo",
        "tak",
        "wł",
        "вкл",
        "да",
        "オン",
        "开",
        "開",
        "是",
    ]
) | {"closed loop", "closed-loop", "boucle fermée", "lazo cerrado", "замкнутый", "閉ループ", "闭环"}
OFF_WORDS = frozenset(
    [
        "off",
        "false",
        "no",
        "inactive",
        "disabled",
        "open",
        "ol",
        "aus",
        "nein",
        "inaktiv",
        "offen",
        "non",
        "inactif",
        "inattivo",
        "não",
        "nao",
        "nie",
        "wył",
        "выкл",
        "нет",
        "オフ",
        "关",
        "關",
        "否",
    ]
) | {"open loop", "open-loop", "boucle ouverte", "lazo abierto", "разомкнутый", "開ループ", "开环"}
LOOP = re.compile(r"^(?P<closed>closed|cl)\b|^(?P<open>open|ol)\b")
"""Fuel-system states as SAE J1979 words them ("OL", "CL", "OL-Drive", "CL-Fault"; from memory)."""
GEARS = {"p": 0.0, "n": 0.0, "neutral": 0.0, "r": -1.0}
GEAR = re.compile(r"(?:d|m|s|gear ?)?(\d)(?:st|nd|rd|th|\.)?(?: gear| gang)?")


def state_value(word: str) -> float | None:
    """The number a state stands for: 1 on, 0 off, or a gear; None if the word is not known.

    Parameters
    ----------
    word : a cell.

    Returns
    -------
    Its number.
    """
    text = word.strip().lower()
    if text in ON_WORDS:
        return 1.0
    if text in OFF_WORDS:
        return 0.0
    if found := LOOP.match(text):
        return 1.0 if found["closed"] else 0.0
    if text in GEARS:
        return GEARS[text]
    gear = GEAR.fullmatch(text)
    return float(gear[1]) if gear else None

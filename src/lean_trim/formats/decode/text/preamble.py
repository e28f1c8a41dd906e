"""What the lines above a header say of the rows below."""

from __future__ import annotations

import re
from collections.abc import Iterable

from lean_trim.formats.meaning.rows import RATES_HZ

# Stems of words for how often a row is written, in ten languages.
_RATE_WORDS = (
    *("abtast", "takt", "sampl", "rate", "interval", "intervall", "period"),
    *("echantillon", "échantillon", "muestre", "campion", "amostr", "próbkow", "probkow"),
    *("частот", "период", "интервал", "дискрет", "サンプリング", "周期", "采样", "取样", "间隔"),
)
_FIGURE = re.compile(
    r"(?<![\d.,])(\d+(?:[.,]\d+)?)\s*(k?hz|1/s|rows/s|samples/s|msec|ms|µs|us|sec|s)\b",
    re.IGNORECASE,
)
_PER_S = {"hz": 1.0, "khz": 1e3, "1/s": 1.0, "rows/s": 1.0, "samples/s": 1.0}
_SECONDS = {"ms": 1e-3, "msec": 1e-3, "us": 1e-6, "µs": 1e-6, "s": 1.0, "sec": 1.0}


def stated_rate_hz(lines: Iterable[str]) -> float:
    """Rows a second by a line such as "Sample rate: 25 Hz" or "Abtastintervall; 40 ms".

    Parameters
    ----------
    lines : above the header.

    Returns
    -------
    1/s; 0 where no line says it, or several say different things.
    """
    found = set()
    for line in lines:
        plain = line.lower()
        figures = _FIGURE.findall(plain)
        if len(figures) != 1 or not any(word in plain for word in _RATE_WORDS):
            continue
        number = float(figures[0][0].replace(",", "."))
        unit = figures[0][1].lower()
        if number > 0.0:
            found.add(number * _PER_S[unit] if unit in _PER_S else 1.0 / (number * _SECONDS[unit]))
    low, high = RATES_HZ
    rate = found.pop() if len(found) == 1 else 0.0
    return rate if low <= rate <= high else 0.0

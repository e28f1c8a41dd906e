"""Units with a number in them: so many, such a part, counted from elsewhere, a range of numbers.

``0.1 °C``, ``kPa x10``, ``100/min``, ``rpm/100``, ``°C+40``, ``‰``, ``0-255``. Behind a unit a number
is read both ways, for people write either: ``kPa x10`` may hold ten times the kPa or count in tens of
them. The values tell which.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

_FIGURE = r"\d+(?:[.,]\d+)?"
_NUMBER = rf"({_FIGURE})(?:\s*/\s*({_FIGURE}))?"
_TIMES = r"[x×*·]"
_BEFORE = re.compile(rf"{_TIMES}?\s*{_NUMBER}\s*{_TIMES}?\s*([^\d\s.,+\-−].*)")
_BEHIND = re.compile(rf"(.*[^\d\s.,x×*·/+\-−])\s*{_TIMES}\s*{_NUMBER}")
_OVER = re.compile(rf"(.*[^\d\s.,x×*·/+\-−])\s*/\s*({_FIGURE})()")
_ALONE = re.compile(rf"{_TIMES}\s*{_NUMBER}|(0[.,]\d+)()")
_SHIFTED = re.compile(rf"(.*[^\d\s.,x×*·/+\-−])\s*([+\-−])\s*({_FIGURE})")
_RANGE = re.compile(rf"([+\-−]?{_FIGURE})\s*(?:-|–|—|\.\.+|…|to)\s*([+\-−]?{_FIGURE})")
_MILLE = frozenset(("‰", "permille", "per mille", "promille", "pro mille", "per mil"))
PERCENT = "%"


@dataclass(frozen=True)
class Part:
    """One way to read such a unit: ``factor`` · number + ``plus``, in ``base`` as people write it."""

    base: str
    factor: float
    plus: float = 0.0

    @property
    def name(self) -> str:
        """The unit so that it can be said in one way only."""
        if self.plus:
            return f"{self.base}{-self.plus:+g}"
        return f"{self.factor:.10g} {self.base}".strip() if self.factor != 1.0 else self.base


@cache
def parts_of(text: str) -> tuple[Part, ...]:
    """The ways to read a unit that has a number in it.

    Parameters
    ----------
    text : as people write it.

    Returns
    -------
    The likelier first; none where there is no number in it. Whether the base is a unit is not looked at.
    """
    plain = text.strip().strip("[]()").strip().lower()
    if plain in _MILLE:
        return (Part(PERCENT, 0.1),)
    if found := _RANGE.fullmatch(plain):
        return _of_range(_figure(found[1]), _figure(found[2]))
    if found := _ALONE.fullmatch(plain):
        return (
            _both_ways("", _ratio(found[1] or found[3], found[2] or ""))
            if found[1]
            else (Part("", _figure(found[3])),)
        )
    if found := _BEFORE.fullmatch(plain):
        factor = _ratio(found[1], found[2] or "")
        return (Part(found[3].strip(), factor),) if factor > 0.0 else ()
    if found := _BEHIND.fullmatch(plain):
        return _both_ways(found[1].strip(), _ratio(found[2], found[3] or ""))
    if found := _OVER.fullmatch(plain):
        return tuple(reversed(_both_ways(found[1].strip(), _figure(found[2]))))
    if found := _SHIFTED.fullmatch(plain):
        moved = _figure(found[3])
        return (Part(found[1].strip(), 1.0, -moved if found[2] == "+" else moved),)
    return ()


def _both_ways(base: str, number: float) -> tuple[Part, ...]:
    return (Part(base, 1.0 / number), Part(base, number)) if number > 0.0 else ()


def _of_range(low: float, high: float) -> tuple[Part, ...]:
    """A range stands for 0 to 100 %; one about 0 for as much to either side, one to 2 for a factor."""
    if high <= low:
        return ()
    if low == 0.0 and high == 2.0:
        return (Part("factor around 1", 1.0),)
    return (Part(PERCENT, 100.0 / high),) if low in (0.0, -high) else ()


def _ratio(over: str, under: str) -> float:
    below = _figure(under) if under else 1.0
    return _figure(over) / below if below else 0.0


def _figure(text: str) -> float:
    return float(text.replace(",", ".").replace("−", "-"))

"""MDF 3 and 4: channels in groups, each group with a master that is its time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.types import Floats
from lean_trim.formats.decode.apart.protocol import Contents, FileReader, Listed
from lean_trim.formats.meaning.names import split_unit

ALGEBRAIC = {3: "4", 10: "3"}
"""Types of conversion that hold a formula, and the version of MDF they are of (ASAM MDF 4.2, table
of conversion types; MDF 3.3, CCBLOCK)."""
RATIONAL = (2, 9)
"""Types of conversion by two polynomials, of MDF 4 and 3."""
DENOMINATOR = ("P4", "P5", "P6")
PROBE = (1.0, 2.0, 5.0)


def why_not_converted(conversion: Any) -> str:
    """Why the numbers of a channel cannot be worked out from what was recorded.

    The library hands on what was recorded where a formula cannot be evaluated.

    Parameters
    ----------
    conversion : of a channel, None for none.

    Returns
    -------
    "" where they can.
    """
    kind = None if conversion is None else int(conversion.conversion_type)
    if kind in ALGEBRAIC:
        formula = _text(getattr(conversion, "formula", ""))
        return "" if _evaluates(formula) else f"its formula {formula[:60]!r} cannot be evaluated"
    if kind in RATIONAL and not any(getattr(conversion, name, 1.0) for name in DENOMINATOR):
        return "its conversion divides by nothing"
    return ""


def _text(kept: str | bytes) -> str:
    """A formula as it is kept: MDF 3 fills it up with zeros."""
    text = kept.decode("latin-1") if isinstance(kept, bytes) else kept
    return text.partition("\0")[0].strip()


def _evaluates(formula: str) -> bool:
    import numexpr

    words = {"X": np.array(PROBE), "INF": np.inf, "NaN": np.nan}
    try:
        numexpr.evaluate(formula.replace("X1", "X"), local_dict=words, global_dict={})
    # Whatever a library makes of a formula that is none.
    except Exception:
        return False
    return True


def _open(path: Path, options: Mapping[str, str]) -> Contents:
    from asammdf import MDF

    mdf = MDF(str(path))
    groups: list[Any] = list(mdf.groups)
    channels: list[Listed] = []
    doubts: dict[int, str] = {}
    conversions: list[Any] = []
    places: list[tuple[None, int, int]] = []
    for g, group in enumerate(groups):
        for c, channel in enumerate(group.channels):
            if c != mdf.masters_db.get(g):
                name, unit = split_unit(channel.name)
                channels.append(Listed(name, str(channel.unit or unit or ""), g))
                places.append((None, g, c))
                conversions.append(channel.conversion)

    def load(wanted: Sequence[int]) -> tuple[Mapping[int, Floats], Mapping[int, Floats]]:
        values: dict[int, Floats] = {}
        times: dict[int, Floats] = {}
        signals = mdf.select([places[i] for i in wanted], copy_master=False) if wanted else []
        for i, signal in zip(wanted, signals, strict=True):
            samples = np.asarray(signal.samples)
            numeric = samples.ndim == 1 and (
                np.issubdtype(samples.dtype, np.number) or samples.dtype == bool
            )
            if not numeric or len(signal.timestamps) < 2:
                continue
            numbers = samples.astype(float)
            # The file itself may say which readings are not to be believed.
            if signal.invalidation_bits is not None:
                numbers = np.where(np.asarray(signal.invalidation_bits, bool), np.nan, numbers)
            why = why_not_converted(conversions[i])
            if why:
                doubts[i] = why
            values[i] = numbers
            times[channels[i].group] = np.asarray(signal.timestamps, float)
        return values, times

    return Contents(channels, load, doubts=doubts)


READER = FileReader(("asammdf",), _open)

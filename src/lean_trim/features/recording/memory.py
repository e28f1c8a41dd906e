"""What the channels of a source meant when it was last heard, so that watches see from the first second."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Mapping

from lean_trim.core.data.channels import Role
from lean_trim.formats.recording.frames import Stream
from lean_trim.live.roles import Meaning, Meanings

SAME = 1e-3
"""By which share a factor may differ and be the same: it is read off numbers with few digits."""
BANKS = 2
MOST = 2000
"""Channels that are remembered."""

Key = tuple[str, str, str, str]
"""Source, stream, channel and its unit, as the source calls them."""
Memory = Mapping[Key, Meaning]


def key_of(stream: Stream, place: int) -> Key:
    """Under what a channel is remembered."""
    channel = stream.channels[place]
    return stream.source, stream.name, channel.name, channel.unit


def kept(memory: Memory) -> str:
    """As a setting of the job holds it."""
    rows = [[*key, str(m.role), m.factor, m.offset] for key, m in sorted(memory.items())]
    return json.dumps(rows[:MOST], ensure_ascii=False, separators=(",", ":"))


def memory_in(setting: str) -> dict[Key, Meaning]:
    """The inverse of ``kept``; what is damaged, or a role of another version, is left out.

    Parameters
    ----------
    setting : of the job.

    Returns
    -------
    Meanings that were proven when they were kept.
    """
    try:
        rows = json.loads(setting or "[]")
    except ValueError:
        return {}
    found: dict[Key, Meaning] = {}
    for row in rows if isinstance(rows, list) else []:
        try:
            source, stream, channel, unit, role, factor, offset = row
            meaning = Meaning(Role(role), float(factor), float(offset), proven=True)
        except (TypeError, ValueError):
            continue
        if math.isfinite(meaning.factor) and math.isfinite(meaning.offset):
            found[str(source), str(stream), str(channel), str(unit)] = meaning
    return found


def recalled(streams: Iterable[Stream], memory: Memory) -> Meanings:
    """Meanings of streams that are heard, from memory.

    More channels of one role than there are banks say nothing together, and none counts.

    Parameters
    ----------
    streams : heard so far.
    memory : of the job.

    Returns
    -------
    By stream and place.
    """
    out: dict[tuple[Stream, int], Meaning] = {}
    for stream in streams:
        for place in range(len(stream.channels)):
            meaning = memory.get(key_of(stream, place))
            if meaning is not None:
                out[stream, place] = meaning
    roles = [m.role for m in out.values()]
    return {at: m for at, m in out.items() if roles.count(m.role) <= BANKS}


def is_same(a: Meaning, b: Meaning) -> bool:
    """Whether two meanings are one, but for the digits they were read off."""
    near = abs(a.factor - b.factor) <= SAME * max(abs(a.factor), abs(b.factor))
    return (
        a.role is b.role and near and math.isclose(a.offset, b.offset, rel_tol=SAME, abs_tol=SAME)
    )


def settled(found: Meanings, before: Meanings) -> tuple[Meanings, tuple[str, ...]]:
    """What was understood now, with what was proven before where now says nothing or the same.

    Parameters
    ----------
    found : understood from this recording.
    before : recalled.

    Returns
    -------
    Meanings, and names of channels that mean something else than before.
    """
    out = dict(found)
    others = []
    spoken = {m.role for m in found.values()}
    for at, old in before.items():
        new = found.get(at)
        if new is None:
            # Another channel may have become what this one was.
            if old.role not in spoken:
                out[at] = old
        elif is_same(new, old):
            out[at] = old
        elif new.proven:
            others.append(at[0].channels[at[1]].name)
    return out, tuple(others)


def remembered(memory: Memory, meanings: Meanings) -> dict[Key, Meaning]:
    """A memory with what is proven now; the first seconds of a drive, which prove little, forget nothing."""
    out = dict(memory)
    for (stream, place), meaning in meanings.items():
        key = key_of(stream, place)
        if meaning.proven:
            out[key] = meaning
    return out

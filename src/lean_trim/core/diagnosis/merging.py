"""What several logs show, each by itself, told as one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trim.core.diagnosis.finding import RANK, Finding
from lean_trim.core.diagnosis.inference import Inferred, Trust
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    IN_ONE = Message("merging.in_one", "{name}: {said}")
    IN_MORE = Message("merging.in_more", "In {count} of {logs} logs, longest in {name}: {said}")
    SOME = Message("merging.some", "{what} in {count} of {logs} logs")


TRUST_RANK: dict[Trust, int] = {"a guess": 0, "likely": 1, "sure": 2}


def merged_findings(logs: Sequence[tuple[str, float, tuple[Finding, ...]]]) -> tuple[Finding, ...]:
    """One finding for each fault that was seen.

    Parameters
    ----------
    logs : name, place on the joined time base less the log's own (s), and findings of every log.

    Returns
    -------
    Dangers first; the sentence is that of the log that showed it longest, which it names.
    """
    by_id: dict[str, list[tuple[str, float, Finding]]] = {}
    for name, start_s, findings in logs:
        for finding in findings:
            by_id.setdefault(finding.id, []).append((name, start_s, finding))
    out = []
    for seen in by_id.values():
        name, _, worst = max(seen, key=lambda s: (-RANK[s[2].severity], s[2].seconds))
        said = (
            Say.IN_ONE(name=name, said=worst.said)
            if len(seen) == 1
            else Say.IN_MORE(count=len(seen), logs=len(logs), name=name, said=worst.said)
        )
        first = min(start + f.first_time_s for _, start, f in seen)
        seconds = round(sum(f.seconds for _, _, f in seen), 2)
        out.append(replace(worst, first_time_s=first, seconds=seconds, said=said))
    return tuple(sorted(out, key=lambda f: (RANK[f.severity], f.first_time_s)))


def merged_inferences(logs: Sequence[tuple[Inferred, ...]]) -> tuple[Inferred, ...]:
    """One entry for each thing that had to be inferred in the same way.

    Parameters
    ----------
    logs : what was inferred for every log.

    Returns
    -------
    Least trusted first, with the least trust and the mean share of the logs it holds for.
    """
    alike: dict[tuple[str, str], list[Inferred]] = {}
    for inferred in logs:
        for thing in inferred:
            alike.setdefault((thing.what, thing.taken), []).append(thing)
    out = []
    for (what, taken), things in alike.items():
        named = (
            what
            if len(things) == len(logs)
            else str(Say.SOME(what=what, count=len(things), logs=len(logs)))
        )
        trust = min((t.trust for t in things), key=lambda t: TRUST_RANK[t])
        shares = [t.share_pct for t in things if np.isfinite(t.share_pct)]
        out.append(
            Inferred(named, taken, trust, round(float(np.mean(shares)), 1) if shares else np.nan)
        )
    return tuple(sorted(out, key=lambda i: TRUST_RANK[i.trust]))

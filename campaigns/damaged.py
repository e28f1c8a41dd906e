"""Damaged log files of every kind: each is read or refused in a sentence, in time, within memory."""

from __future__ import annotations

import random
import resource
import time
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from campaigns.dresses import ending
from campaigns.dressing.cars import drive_of
from campaigns.dressing.dress import Dress
from campaigns.dressing.writing import write
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.holes import SENSES
from lean_trim.core.errors import LeanTrimError
from lean_trim.formats.decode.columns import ReadOptions
from lean_trim.formats.logs import open_log

SECONDS = 12.0
LONGEST_S = 5.0
MOST_MB = 1024.0
IN_PROCESS = (
    Dress(name="text"),
    Dress(name="text de", words="de", delimiter=";", decimal=",", header="row"),
    Dress(name="text cells", header="cells", delimiter="\t"),
    Dress(name="text long", shape="long"),
    Dress(name="text groups", shape="groups"),
    Dress(name="text clock", time="ISO", encoding="utf-16-le", marks={"mark": b"\xff\xfe"}),
    Dress(name="gzip", pack="gzip"),
    Dress(name="zstd", pack="zstd"),
    Dress(name="bz2", pack="bz2"),
    Dress(name="xz", pack="xz"),
    Dress(name="zip", pack="zip"),
    Dress(name="parquet", kind="parquet"),
    Dress(name="arrow", kind="arrow"),
    Dress(name="arrow stream", kind="arrow stream"),
    Dress(name="xlsx", kind="xlsx"),
    Dress(name="ods", kind="ods"),
    Dress(name="jsonl", kind="jsonl"),
)
APART = tuple(
    Dress(name=k, kind=k)
    for k in ("mdf4", "mdf3", "mat", "mat struct", "blf", "asc", "candump", "trc")
)
APART_EVERY = 60
"""One trial in so many reads in a child, which takes a second to start."""
BATCH = 50
"""Mutations a trial tries, so that a process of its own pays."""


def _prepare(folder: Path) -> object:
    _, log = drive_of("heron")
    short = ending(log, SECONDS)
    for dress in (*IN_PROCESS, *APART):
        write(short, dress, folder / f"{dress.name.replace(' ', '-')}.log")
    return None


def mutated(data: bytes, rng: random.Random) -> bytes:
    """Bytes with a few accidents: flips, cuts, gaps, copies, zeros, numbers out of range."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 3, 8))):
        if not out:
            break
        at = rng.randrange(len(out))
        size = rng.choice((1, 1, 2, 4, 16, 200, 4000))
        match rng.randrange(8):
            case 0:
                out[at] ^= 1 << rng.randrange(8)
            case 1:
                del out[at:]
            case 2:
                del out[at : at + size]
            case 3:
                out[at:at] = out[max(0, at - size) : at]
            case 4:
                out[at : at + size] = bytes(len(out[at : at + size]))
            case 5:
                out[at : at + size] = rng.randbytes(len(out[at : at + size]))
            case 6:
                out[at : at + 4] = rng.choice(
                    (b"\xff\xff\xff\xff", b"\x00\x00\x00\x80", b"1e99", b"\xef\xbb\xbf,")
                )
            case _:
                out[at:at] = rng.choice(
                    (b"\n", b",", b'"', b";", b"\r", b"-", b"nan", b"\x00", b"9" * 400)
                )
    return bytes(out)


def read_damaged(path: Path, dbc: Path | None) -> str:
    """What became of a file: read, refused, or what is wrong with how it was taken."""
    vehicle, _ = drive_of("heron")
    began = time.perf_counter()
    try:
        log = open_log(
            path, vehicle.stoich_afr, None, None, False, vehicle, ReadOptions(dbc=dbc)
        ).log
        outcome = "read"
        if not (np.diff(log.time_s) >= 0).all() or not np.isfinite(log.time_s).all():
            outcome = "impossible time"
        for role, values in log.channels.items():
            # What no engine has becomes a hole when the frame is made; here it must at least be a
            # number.
            if role not in SENSES or np.isinf(values).any():
                outcome = f"impossible {role}"
    except LeanTrimError as error:
        outcome = (
            "refused"
            if "\n" not in str(error) and path.name in str(error)
            else f"sentence: {error}"[:200]
        )
    except BaseException as error:
        outcome = f"uncaught {type(error).__name__}: {error}"[:200]
    spent = time.perf_counter() - began
    return f"slow: {spent:.1f} s" if spent > LONGEST_S else outcome


def _trial(folder: Path, seed: int) -> Trial:
    rng = random.Random(seed)
    apart = seed % APART_EVERY == 0
    dress = rng.choice(APART if apart else IN_PROCESS)
    source = folder / f"{dress.name.replace(' ', '-')}.log"
    data = source.read_bytes()
    dbc = source.with_suffix(".dbc")
    outcomes: Counter[str] = Counter()
    path = folder / f"trial-{seed}.log"
    for _ in range(3 if apart else BATCH):
        path.write_bytes(mutated(data, rng))
        outcomes[read_damaged(path, dbc if dbc.exists() else None)] += 1
        bad = set(outcomes) - {"read", "refused"}
        if bad:
            break
    if not bad:
        path.unlink()
    peak = (
        max(
            resource.getrusage(w).ru_maxrss
            for w in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
        )
        / 1024
    )
    return {"kind": dress.name, "outcomes": dict(outcomes), "peak_mb": round(peak)}


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r for r in results if set(r["outcomes"]) - {"read", "refused"} or r["peak_mb"] > MOST_MB
    ]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "| kind | inputs | read | refused | anything else | peak memory, MB |",
        "|---|---|---|---|---|---|",
    ]
    for kind in sorted({r["kind"] for r in results}):
        some = [r for r in results if r["kind"] == kind]
        counts: Counter[str] = Counter()
        for r in some:
            counts.update(r["outcomes"])
        other = sum(n for k, n in counts.items() if k not in ("read", "refused"))
        whole = sum(counts.values())
        peak = max(r["peak_mb"] for r in some)
        lines.append(
            f"| {kind} | {whole} | {counts['read']} | {counts['refused']} | {other} | {peak} |"
        )
    total = sum(sum(r["outcomes"].values()) for r in results)
    return [*lines, "", f"{total} inputs in all."]


CAMPAIGN = Campaign("Damaged log files", 1100, _prepare, _trial, _table, _failed)

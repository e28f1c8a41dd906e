"""Run a campaign's trials in parallel, keep each result, and write the campaign's table into docs.

Results are kept in ``.campaigns/NAME`` by seed, so that an interrupted run goes on where it
stopped; ``--fresh`` forgets them.
"""

from __future__ import annotations

import argparse
import importlib
import json
import multiprocessing
import os
import shutil
import sys
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lean_trim import __version__

ROOT = Path(__file__).resolve().parents[1]
CACHE = ROOT / ".campaigns"
DOCS = ROOT / "docs" / "campaigns"
NAMES = (
    "kills",
    "monkey",
    "mutations",
    "disks",
    "constants",
    "fleet",
    "dresses",
    "damaged",
    "injectors",
    "pulls",
    "findings",
    "transients",
    "enrichment",
    "causes",
    "rewritten",
    "rounds",
    "plan",
    "proof",
    "done",
    "lies",
    "learned",
    "attacks",
    "recording",
    "live",
    "spoiled_live",
)
"""Every campaign; each is a module of this package with a ``CAMPAIGN``."""

Trial = dict[str, Any]


@dataclass(frozen=True)
class Campaign:
    """A series of trials.

    Attributes
    ----------
    title : heading of its page in docs.
    count : number of trials, unless the command line says otherwise.
    prepare : makes what all trials share in a folder; called once.
    trial : one trial by its seed, in a process of its own; the result has to be JSON.
    table : Markdown lines from all results.
    failed : results that are not as they should be.
    section : name of the part of docs/accuracy.md that holds the table as well; empty for none.
    """

    title: str
    count: int
    prepare: Callable[[Path], object]
    trial: Callable[[Path, int], Trial]
    table: Callable[[Sequence[Trial]], list[str]]
    failed: Callable[[Sequence[Trial]], list[Trial]]
    section: str = ""


def load(name: str) -> Campaign:
    """A campaign by its name."""
    found = importlib.import_module(f"campaigns.{name}").CAMPAIGN
    assert isinstance(found, Campaign)
    return found


def run_one(name: str, folder: Path, seed: int) -> Trial:
    """One trial, from the cache if it was made before."""
    kept = folder / f"{seed}.json"
    if kept.exists():
        return dict(json.loads(kept.read_text(encoding="utf-8")))
    result = load(name).trial(folder, seed) | {"seed": seed}
    part = kept.with_suffix(".part")
    part.write_text(json.dumps(result), encoding="utf-8")
    part.rename(kept)
    return result


def run(name: str, count: int | None = None, fresh: bool = False) -> int:
    """Run a campaign and write its page; returns the number of trials that failed."""
    campaign = load(name)
    folder = CACHE / name
    if fresh:
        shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True, exist_ok=True)
    campaign.prepare(folder)
    seeds = range(count if count is not None else campaign.count)
    results: list[Trial] = []
    # Polars holds threads, which a forked process would wait for in vain.
    with ProcessPoolExecutor(
        os.cpu_count(), mp_context=multiprocessing.get_context("spawn")
    ) as pool:
        for future in as_completed([pool.submit(run_one, name, folder, seed) for seed in seeds]):
            results.append(future.result())
            if len(results) % 20 == 0:
                print(f"{len(results)} of {len(seeds)}", file=sys.stderr)
    results.sort(key=lambda r: int(r["seed"]))
    failed = campaign.failed(results)
    DOCS.mkdir(exist_ok=True)
    page = [
        f"# {campaign.title}",
        "",
        f"`./campaign {name}`, {len(results)} trials, version {__version__}.",
        "",
    ]
    (DOCS / f"{name}.md").write_text(
        "\n".join([*page, *campaign.table(results), ""]), encoding="utf-8"
    )
    if campaign.section:
        write_section(DOCS.parent / "accuracy.md", campaign.section, campaign.table(results))
    for result in failed:
        print(f"failed: {result}")
    print(f"{len(results) - len(failed)} passed, {len(failed)} failed")
    return len(failed)


def write_section(page: Path, name: str, lines: Sequence[str]) -> None:
    """Put a table between the marks a page has for it; ValueError if it has none."""
    begin = f"<!-- {name} -->"
    end = f"<!-- end of {name} -->"
    text = page.read_text(encoding="utf-8")
    before, found, rest = text.partition(begin)
    _, closed, after = rest.partition(end)
    if not found or not closed:
        raise ValueError(f"{page.name} has no marks for {name}")
    page.write_text("\n".join([before + begin, *lines, end + after]), encoding="utf-8")


def main() -> int:
    """``./campaign NAME [--count N] [--fresh]``."""
    parser = argparse.ArgumentParser(prog="./campaign", description=__doc__)
    parser.add_argument("name", choices=NAMES)
    parser.add_argument("--count", type=int, help="number of trials")
    parser.add_argument("--fresh", action="store_true", help="forget earlier results")
    args = parser.parse_args()
    return int(run(args.name, args.count, args.fresh) > 0)

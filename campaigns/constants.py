"""Shift one named constant or default of the computation, and see whether the tests notice.

Each trial changes one number in a copy of the source (times 1.5, or one more where that is a count)
and runs the core's tests on it. A constant nothing notices is either free within that range, which
``FREE`` has to say, or lacks a test.
"""

from __future__ import annotations

import ast
import fcntl
import math
import os
import random
import shutil
import subprocess
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from campaigns.runner import ROOT, Campaign, Trial

FACTOR = 1.5
ROOMS = ("drive", "sieve", "estimation", "diagnosis", "decision", "pipeline")
COPIES = 2
"""Source copies, so that so many trials run at once."""
COPIED = ("src", "tests", "campaigns", "tools", "docs", "benchmarks", "examples")
LONGEST_S = 420
DEFAULT_PLACE = 2
"""Place of a knob's default among its arguments."""
HIGH_PLACE = 4
"""Place of a knob's upper end among its arguments."""
FREE = {
    "estimation/surface_fit.py: BLOCK": "how many samples are worked on at a time; the sums are the same",
    "estimation/surface_fit.py: FIRST_LOOK": "how often convergence is looked at; the end is the same",
    "estimation/surface_fit.py: SETTLED": "when to stop; below what is shown",
    "estimation/surface_fit.py: START_SCALE": "where the iteration starts; it ends elsewhere",
    "estimation/surface_fit.py: START_INFLATION_S": "where the iteration starts; it ends elsewhere",
    "diagnosis/faults/low_voltage.py: USUAL_V": "stands for a supply nobody logged; any sound voltage does",
    "estimation/bordered.py: LEAST_SHARE": "keeps a division from zero",
    "estimation/film_fit.py: LEAST_TRUST": "a film trusted by a fiftieth is the default within a hundredth",
    "diagnosis/patterns/exhaust_leak.py: SPREAD": "of 800 drives one barely visible leak more is told",
    "diagnosis/patterns/pattern_evidence.py: TREND_LENGTH": "of 800 drives one false alarm less",
    "drive/gears.py: BIN": "99.7 % of the samples of 16 random drives and more are in the same gear",
}
"""Constants of the numerical method, and why a factor of 1.5 may make no difference."""


@dataclass(frozen=True)
class Site:
    """One number in the source."""

    path: str
    line: int
    start: int
    end: int
    name: str
    value: float
    high: float
    """What it may be at most."""


def sites() -> list[Site]:
    """Every named constant and knob default of the computation, in a fixed order."""
    found: list[Site] = []
    for room in ROOMS:
        for path in sorted((ROOT / "src" / "lean_trim" / "core" / room).rglob("*.py")):
            tree = ast.parse(path.read_text(encoding="utf-8"))
            for name, node, high in _numbers(tree):
                where = str(path.relative_to(ROOT / "src"))
                assert node.end_col_offset is not None
                value = float(node.value)  # type: ignore[arg-type]
                found.append(
                    Site(
                        where, node.lineno, node.col_offset, node.end_col_offset, name, value, high
                    )
                )
    return found


def _numbers(tree: ast.Module) -> Iterator[tuple[str, ast.Constant, float]]:
    for statement in tree.body:
        if not (isinstance(statement, ast.Assign) and _is_number(statement.value)):
            continue
        target = ast.unparse(statement.targets[0])
        if target.isupper():
            yield target, statement.value, math.inf  # type: ignore[misc]
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Call)
            and ast.unparse(node.func) == "Knob"
            and len(node.args) > DEFAULT_PLACE
        ):
            default = node.args[DEFAULT_PLACE]
            name = node.args[0]
            if _is_number(default) and isinstance(name, ast.Constant):
                high = node.args[HIGH_PLACE]
                yield f"knob {name.value!s}", default, float(ast.literal_eval(high))  # type: ignore[misc]


def _is_number(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.value != 0


def shifted(site: Site, text: str) -> str:
    """The source with one number changed, down where a knob's range ends too soon above it."""
    lines = text.split("\n")
    line = lines[site.line - 1]
    old = line[site.start : site.end]
    if old.isdigit():
        new = str(int(site.value) + 1)
    else:
        raised = site.value * FACTOR
        # Six digits, so that 1e-12 does not become nothing.
        new = f"{raised if raised <= site.high else site.value / FACTOR:.6g}"
    lines[site.line - 1] = line[: site.start] + new + line[site.end :]
    return "\n".join(lines)


def _trial(folder: Path, seed: int) -> Trial:
    chosen = random.Random(8).sample(sites(), k=len(sites()))
    site = chosen[seed % len(chosen)]
    with _a_copy(folder) as copy:
        target = copy / "src" / site.path
        original = ROOT / "src" / site.path
        target.write_text(shifted(site, original.read_text(encoding="utf-8")), encoding="utf-8")
        try:
            noticed = _run_tests(copy)
        finally:
            shutil.copy2(original, target)
    return {"constant": f"{site.path}: {site.name}", "value": site.value, "noticed": noticed}


class _a_copy:  # noqa: N801 - reads as a phrase where it is used
    """One of the copies of the source that no other trial uses now."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __enter__(self) -> Path:
        while True:
            for number in range(COPIES):
                place = self.folder / f"copy-{number}"
                self.lock = (self.folder / f"copy-{number}.lock").open("w")
                try:
                    fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except OSError:
                    continue
                return place

    def __exit__(self, *_: object) -> None:
        self.lock.close()


def _run_tests(copy: Path) -> str:
    """The first test that failed, "" if none did."""
    environment = os.environ | {"PYTHONPATH": str(copy / "src"), "QT_QPA_PLATFORM": "offscreen"}
    words = [
        sys.executable,
        "-m",
        "pytest",
        "-x",
        "-p",
        "no:cacheprovider",
        "tests/core",
        "-m",
        "not slow",
    ]
    try:
        run = subprocess.run(
            words,
            cwd=copy,
            env=environment,
            capture_output=True,
            text=True,
            check=False,
            timeout=LONGEST_S,
        )
    except subprocess.TimeoutExpired:
        return "took too long"
    failed = [line for line in run.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]
    if run.returncode != 0 and not failed:
        raise RuntimeError(f"the tests could not be run: {run.stdout[-500:]}{run.stderr[-500:]}")
    return failed[0].split(" - ")[0] if failed else ""


def _prepare(folder: Path) -> None:
    for number in range(COPIES):
        place = folder / f"copy-{number}"
        shutil.rmtree(place, ignore_errors=True)
        place.mkdir()
        for name in COPIED:
            shutil.copytree(ROOT / name, place / name, ignore=shutil.ignore_patterns("__pycache__"))
        shutil.copy2(ROOT / "pyproject.toml", place)
        # Without compiled loops the first property test would fail on its deadline.
        environment = os.environ | {"PYTHONPATH": str(place / "src")}
        words = [sys.executable, "-m", "lean_trim.core.pipeline.precompile"]
        subprocess.run(words, cwd=place, env=environment, check=True)
        # A file that cannot be collected would pass for one that noticed every number.
        words = [sys.executable, "-m", "pytest", "--collect-only", "-q", "tests/core"]
        words += ["-p", "no:cacheprovider"]
        done = subprocess.run(words, cwd=place, env=environment, capture_output=True, text=True)
        if done.returncode != 0:
            raise RuntimeError(f"the tests cannot be collected in a copy: {done.stdout[-500:]}")


def _table(results: Sequence[Trial]) -> list[str]:
    noticed = sum(bool(r["noticed"]) for r in results)
    free = sum(not r["noticed"] and bool(_why_free(r)) for r in results)
    lines = [
        f"One constant or default at a time, times {FACTOR:g} (a count: one more); the tests of "
        "the core are run on it.",
        f"{noticed} of {len(results)} were noticed; {free} of the others are free.",
        "", "| constant | value | noticed by |", "|---|---|---|",
    ]  # fmt: skip
    for r in sorted(results, key=lambda r: str(r["constant"])):
        by = str(r["noticed"]).replace("FAILED tests/core/", "") or f"nothing{_why_free(r)}"
        lines.append(f"| {r['constant'].replace('lean_trim/core/', '')} | {r['value']:g} | {by} |")
    return lines


def _why_free(result: Trial) -> str:
    """Why nothing need notice this one, "" if something must."""
    name = str(result["constant"]).replace("lean_trim/core/", "")
    return f" (free: {FREE[name]})" if name in FREE else ""


CAMPAIGN = Campaign(
    title="Constants shifted",
    count=40,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=lambda results: [r for r in results if not r["noticed"] and not _why_free(r)],
)

"""A copy of the source in which a constant is shifted must hold all that the core's tests import."""

from __future__ import annotations

import ast
from pathlib import Path

from campaigns.constants import COPIED, sites

ROOT = Path(__file__).resolve().parents[1]


def imported(path: Path) -> set[str]:
    """First words of everything a file imports."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module.split(".")[0])
        elif isinstance(node, ast.Import):
            found |= {name.name.split(".")[0] for name in node.names}
    return found


def test_what_the_tests_of_the_core_import_is_copied() -> None:
    """Else none could be collected, and every shifted constant would pass for one that was noticed."""
    ours = {p.name for p in ROOT.iterdir() if p.is_dir()}
    files = [*(ROOT / "tests" / "core").rglob("*.py"), *(ROOT / "campaigns").glob("*.py")]
    needed = {name for path in files for name in imported(path)} & ours
    assert needed <= set(COPIED)


def test_there_are_many_numbers_to_shift() -> None:
    found = sites()
    assert len(found) > 300
    assert len({(s.path, s.name) for s in found}) > 300

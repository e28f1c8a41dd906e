"""The rooms of the code: imports go downwards only, and there are no circles."""

from __future__ import annotations

import ast
import os
import subprocess
import sys
from collections.abc import Collection, Iterable, Mapping
from functools import cache
from pathlib import Path

SRC = Path(__file__).resolve().parents[1] / "src"
LEVELS = (
    {"lean_trim.core.messages"},
    {"lean_trim.core.types", "lean_trim.core.errors"},
    {
        "lean_trim.core.physics",
        "lean_trim.core.robust",
        "lean_trim.core.knobs",
        "lean_trim.core.parallel",
        "lean_trim.core.text",
    },
    {"lean_trim.core.kernels"},
    {"lean_trim.core.data"},
    {"lean_trim.core.drive"},
    {"lean_trim.core.proof"},
    {"lean_trim.core.sieve"},
    {"lean_trim.core.estimation"},
    {"lean_trim.core.diagnosis"},
    {"lean_trim.core.decision"},
    {
        "lean_trim.core.closed_loop_shift",
        "lean_trim.core.injectors",
        "lean_trim.core.learned",
        "lean_trim.core.planning",
        "lean_trim.core.proving",
        "lean_trim.core.pulls",
        "lean_trim.core.transients",
    },
    {"lean_trim.core.pipeline"},
    {"lean_trim.core.explore"},
    {"lean_trim.formats", "lean_trim.simcar"},
    {"lean_trim.live"},
    {"lean_trim.job"},
    {"lean_trim.workspace", "lean_trim.diagnostics"},
    {"lean_trim.ui.units"},
    {"lean_trim.ui.theme", "lean_trim.ui.selection"},
    {"lean_trim.ui.session"},
    {"lean_trim.ui.specs", "lean_trim.cli.parser"},
    {"lean_trim.features.feature"},
    {"lean_trim.ui.widgets"},
    {"lean_trim.ui.vehicle"},
    {"lean_trim.ui.tape"},
    {"lean_trim.ui.window"},
    {"lean_trim.cli.log_options", "lean_trim.cli.logs"},
    {"lean_trim.features"},
    {"lean_trim.cli"},
    {"lean_trim.__main__"},
)
"""From the bottom up; a module may import what lies below it, and its own package."""
NO_LEVEL = {"lean_trim", "lean_trim.assets", "lean_trim.core", "lean_trim.ui", "lean_trim.cli"}
"""Packages that only hold others, and data."""
HEAVY = ("numba", "scipy", "polars", "asammdf", "zstandard", "pyarrow")
"""Imported where they are used, so that the window does not wait for them."""


def module_of(path: Path) -> str:
    parts = list(path.relative_to(SRC).with_suffix("").parts)
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


FILES = {module_of(path): path for path in sorted(SRC.rglob("*.py"))}


@cache
def tree_of(module: str) -> ast.Module:
    """A module's tree, parsed once for all tests."""
    return ast.parse(FILES[module].read_text(encoding="utf-8"))


@cache
def nodes_of(module: str) -> tuple[ast.AST, ...]:
    """What imports in a module, and the conditions under which it does."""
    kinds = (ast.Import, ast.ImportFrom, ast.If)
    return tuple(node for node in ast.walk(tree_of(module)) if isinstance(node, kinds))


def _imported(nodes: Iterable[ast.AST]) -> frozenset[str]:
    found: set[str] = set()
    for node in nodes:
        if isinstance(node, ast.ImportFrom):
            for alias in node.names:
                whole = f"{node.module}.{alias.name}"
                found.add(whole if whole in FILES else str(node.module))
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return frozenset(found)


@cache
def loaded_by(module: str) -> frozenset[str]:
    """Whatever a module imports, anywhere but under TYPE_CHECKING."""
    typing_only = {
        id(inner)
        for node in nodes_of(module)
        if isinstance(node, ast.If)
        and isinstance(node.test, ast.Name)
        and node.test.id == "TYPE_CHECKING"
        for inner in ast.walk(node)
    }
    return _imported(node for node in nodes_of(module) if id(node) not in typing_only)


def imports_of(module: str) -> frozenset[str]:
    """Modules of the project that a module imports, anywhere but under TYPE_CHECKING."""
    return loaded_by(module) & set(FILES) - {module}


@cache
def every_import_of(module: str) -> frozenset[str]:
    """Modules of the project that a module imports, those for types only included."""
    return _imported(nodes_of(module)) & set(FILES) - {module}


@cache
def level_of(module: str) -> int:
    places = [
        i
        for i, group in enumerate(LEVELS)
        for p in group
        if module == p or module.startswith(f"{p}.")
    ]
    assert places, f"{module} belongs to no level"
    return places[0]


def test_imports_only_go_downwards() -> None:
    up = []
    for module in FILES:
        for other in imports_of(module) - NO_LEVEL if module not in NO_LEVEL else ():
            if level_of(other) > level_of(module):
                up.append(f"{module} imports {other}")
    assert up == []


def test_rooms_of_one_level_do_not_import_each_other_both_ways() -> None:
    edges = {
        (room(a), room(b)) for a in FILES if a not in NO_LEVEL for b in imports_of(a) - NO_LEVEL
    }
    assert [(a, b) for a, b in edges if a != b and (b, a) in edges] == []


def room(module: str) -> str:
    return next(p for group in LEVELS for p in group if module == p or module.startswith(f"{p}."))


def test_there_are_no_circles() -> None:
    graph = {module: imports_of(module) for module in FILES}
    done: set[str] = set()

    def walk(module: str, path: tuple[str, ...]) -> None:
        assert module not in path, " → ".join((*path[path.index(module) :], module))
        if module not in done:
            for other in sorted(graph[module]):
                walk(other, (*path, module))
            done.add(module)

    for module in graph:
        walk(module, ())


def rings(graph: Mapping[str, Collection[str]]) -> list[set[str]]:
    """Modules that reach each other, by Tarjan's algorithm (SIAM J. Comput. 1, 1972)."""
    number: dict[str, int] = {}
    lowest: dict[str, int] = {}
    stack: list[str] = []
    found: list[set[str]] = []

    def visit(module: str) -> None:
        number[module] = lowest[module] = len(number)
        stack.append(module)
        for other in graph[module]:
            if other not in number:
                visit(other)
                lowest[module] = min(lowest[module], lowest[other])
            elif other in stack:
                lowest[module] = min(lowest[module], number[other])
        if lowest[module] == number[module]:
            at = stack.index(module)
            found.append(set(stack[at:]))
            del stack[at:]

    for module in graph:
        if module not in number:
            visit(module)
    return [ring for ring in found if len(ring) > 1]


def test_no_ring_is_longer_than_two_files_even_of_types() -> None:
    """Once a ring of twenty: each part knew the whole workspace, which knew each part."""
    long = [sorted(ring) for ring in rings({m: every_import_of(m) for m in FILES}) if len(ring) > 2]
    assert long == []
    assert rings({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == [{"a", "b", "c"}]


def test_only_the_session_knows_how_the_workspace_is_put_together() -> None:
    """Views reach what they need by name."""
    composed = "lean_trim.workspace.workspace"
    assert [m for m in FILES if composed in every_import_of(m)] == ["lean_trim.ui.session"]


def test_qt_stays_in_the_interface() -> None:
    for module in FILES:
        of_feature = module.startswith("lean_trim.features")
        drawn = of_feature and (".desk" in module or ".pages" in module)
        if not drawn and not module.startswith("lean_trim.ui"):
            assert not any(name.startswith("PySide6") for name in loaded_by(module)), module


def test_what_is_declared_of_a_feature_loads_no_qt() -> None:
    """Commands without a window read the same declarations."""
    declared = [m for m in FILES if m.endswith(".feature") or m == "lean_trim.ui.specs"]
    assert len(declared) > 6
    for module in declared:
        assert not any(name.startswith("PySide6") for name in loaded_by(module)), module


def test_a_feature_is_known_to_no_one_but_the_list() -> None:
    """What has to be edited for another feature is the list alone."""
    for module in FILES:
        if module.startswith("lean_trim.features."):
            continue
        known = {m for m in every_import_of(module) if m.startswith("lean_trim.features.")}
        listed = {"lean_trim.features.feature", "lean_trim.features.registry"}
        assert known <= listed, module


def test_sql_stays_in_the_job() -> None:
    for module, path in FILES.items():
        text = path.read_text(encoding="utf-8")
        if not module.startswith("lean_trim.job"):
            assert not any(word in text for word in ("SELECT ", "INSERT INTO", "UPDATE rounds")), (
                module
            )


COMPILED = (
    "lean_trim.core.kernels",
    "lean_trim.simcar.stepper",
    "lean_trim.simcar.ecu_step",
    "lean_trim.simcar.compiled",
    "lean_trim.simcar.surface",
)
"""Numba through and through; they are imported where they are used."""


def test_heavy_libraries_are_imported_where_they_are_used() -> None:
    for module in FILES:
        if module.startswith(COMPILED):
            continue
        top = tree_of(module).body
        names = [a.name for n in top if isinstance(n, ast.Import) for a in n.names]
        for node in top:
            if isinstance(node, ast.ImportFrom):
                names += [node.module or "", *(f"{node.module}.{a.name}" for a in node.names)]
        heavy = [n for n in names if n.split(".")[0] in HEAVY or n.startswith(COMPILED)]
        assert heavy == [], module


def test_the_command_says_how_many_threads_before_numpy_is_loaded() -> None:
    """Said afterwards it has no effect, and a solve takes three times as long."""
    code = (
        "import os, sys, lean_trim.cli.main as m; early = 'numpy' in sys.modules; "
        "m.main(['--version-of-nothing']); print(early, os.environ['OPENBLAS_NUM_THREADS'])"
    )
    environment = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"}
    done = subprocess.run(
        [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == ["False", "1"]


def test_a_package_only_exports() -> None:
    for module, path in FILES.items():
        if path.name == "__init__.py":
            body = ast.parse(path.read_text(encoding="utf-8")).body
            assert all(
                isinstance(n, ast.Expr | ast.Assign | ast.ImportFrom | ast.Import) for n in body
            ), module

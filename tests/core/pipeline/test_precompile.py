"""Compiling ahead touches every loop."""

from __future__ import annotations

from lean_trim.core.kernels import fit_loops, mesh_loops
from lean_trim.core.kernels import log_loops as loops
from lean_trim.core.pipeline.precompile import precompile


def test_every_loop_a_solve_needs_is_compiled_ahead() -> None:
    precompile()
    later = {"_locate", "_mirrored", "_weigh_rows", "_add_products"}
    for module in (loops, mesh_loops, fit_loops):
        names = [n for n, f in vars(module).items() if hasattr(f, "py_func") and n not in later]
        assert names
        assert [n for n in names if not getattr(module, n).signatures] == []

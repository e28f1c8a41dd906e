"""``python -m lean_trim``."""

from lean_trim.cli.main import run_as_process

run_as_process()

"""A sample of ``./campaign monkey``: anything in any order, and memory is what the file loads to."""

from __future__ import annotations

from pathlib import Path

import pytest

from campaigns.monkey import differences, play, prepare


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("monkey")
    prepare(folder)
    return folder


@pytest.mark.slow
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_memory_is_what_the_file_loads_to_after_every_step(files: Path, seed: int) -> None:
    monkey = play(files, seed, 100)
    assert monkey.count == 100 and len(set(monkey.done)) > 30


def test_differences_are_found_where_they_are() -> None:
    assert differences((1.0, {"a": (2,)}), (1.0, {"a": (3,)}), "job") == [
        "job[1][a][0]: 2 against 3"
    ]
    assert differences((float("nan"),), (float("nan"),)) == []

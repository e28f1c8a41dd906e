"""A result goes into bytes and comes back equal, without pickle, and nothing else can come out of them."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest

from campaigns.monkey import differences
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.injectors import identify_from
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, refit
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.core.pipeline.transients import transients_of
from lean_trim.core.sieve.sieve import SieveSettings
from lean_trim.job.results import TREE, packed, unpacked
from tests.solved_once import SolvedOnce


def test_a_solution_comes_back_whole_and_can_be_gone_on_from(heron_solution: Solution) -> None:
    data = packed(heron_solution)
    back = unpacked(data)
    assert isinstance(back, Solution) and differences(back, heron_solution) == []
    # What was one array is one again.
    assert back.prepared.conditions.motion is back.measured.prepared.conditions.motion
    assert np.shares_memory(back.frame.log.time_s, back.prepared.conditions.frame.log.time_s)
    from dataclasses import replace

    changed = replace(back.settings, sieve=SieveSettings({"tip.after_s": 1.5}))
    assert differences(refit(back, changed).residual, refit(heron_solution, changed).residual) == []
    policy = propose_for(summary_of(heron_solution), _policy())
    assert differences(propose_for(summary_of(back), _policy()), policy) == []


def _policy() -> object:
    from lean_trim.core.decision.proposal import PolicySettings

    return PolicySettings()


@pytest.mark.slow
def test_every_kind_of_result_comes_back(heron_solution: Solution, solved_once: SolvedOnce) -> None:
    for result in (
        summary_of(heron_solution),
        solved_once.of_solution(identify_from)(heron_solution),
        solved_once.of_solution(transients_of)(heron_solution),
    ):
        back = unpacked(packed(result))
        assert type(back) is type(result) and differences(back, result) == []


def forged(root: object, records: list[object]) -> bytes:
    arrays = io.BytesIO()
    np.savez(arrays, np.zeros(1))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(TREE, json.dumps({"root": root, "records": records}))
        archive.writestr("arrays.npz", arrays.getvalue())
    return out.getvalue()


@pytest.mark.parametrize(
    "name",
    [
        "os:system",
        "subprocess:Popen",
        "lean_trim.core.physics:np.load",
        "lean_trim.core.data.log:Path",
        "lean_trim.workspace.open_job:OpenJob",
        "lean_trim.core.data.log:join",
        "lean_trim.core..os:x",
    ],
)
def test_nothing_but_records_of_ours_is_built(name: str) -> None:
    with pytest.raises(BadInputError, match="no record of ours"):
        unpacked(forged({"record": 0}, [[name, {"args": "true"}]]))


@pytest.mark.parametrize(
    "data",
    [b"", b"PK", forged({"record": 7}, []), forged({"what": 1}, []), forged({"array": "x"}, [])],
)
def test_damaged_bytes_are_refused_in_words(data: bytes) -> None:
    with pytest.raises(BadInputError, match="cannot be read"):
        unpacked(data)


def test_what_is_no_plain_value_is_not_written() -> None:
    with pytest.raises(BadInputError, match="cannot hold"):
        packed((lambda: 1,))

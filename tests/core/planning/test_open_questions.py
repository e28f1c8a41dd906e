"""What separates causes a drive cannot tell apart goes with the plan of the next one."""

from __future__ import annotations

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.patterns import intake_leak, unseen_sag
from lean_trim.core.messages import Message
from lean_trim.core.planning.open_questions import open_questions

SAID = Message("test.open_question", "something was seen")()


def found(id_: str, *alike: str) -> Finding:
    return Finding(id_, "warning", 0.0, 10.0, SAID, alike=alike)


def test_what_is_told_outright_opens_nothing() -> None:
    assert open_questions([found("intake_leak"), found("knock")]) == ()


def test_a_group_is_named_with_its_tests() -> None:
    (text,) = open_questions([found("intake_leak", "unseen_sag"), found("knock")])
    for pattern in (intake_leak.PATTERN, unseen_sag.PATTERN):
        assert pattern.name in text and str(pattern.test()) in text
    assert text.startswith("To tell ")

"""Findings and inferences of several logs told as one."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.diagnosis.merging import merged_findings, merged_inferences
from lean_trim.core.messages import Message

SAID = Message("test.merging", "seen for {seconds:.0f} s")


def finding(kind: str, severity: str, first: float, seconds: float) -> Finding:
    return Finding(kind, severity, first, seconds, SAID(seconds=seconds))  # type: ignore[arg-type]


def test_dangers_come_first_and_times_are_those_of_the_joined_logs() -> None:
    found = merged_findings(
        [
            ("a", 0.0, (finding("volts", "warning", 5.0, 3.0),)),
            (
                "b",
                110.0,
                (finding("knock", "danger", 2.0, 1.0), finding("volts", "warning", 1.0, 7.0)),
            ),
        ]
    )
    assert [f.id for f in found] == ["knock", "volts"]
    assert found[0].first_time_s == 112.0
    assert found[0].message == "b: seen for 1 s"
    assert found[1].first_time_s == 5.0
    assert found[1].seconds == 10.0
    assert found[1].message == "In 2 of 2 logs, longest in b: seen for 7 s"


def test_the_worst_of_a_fault_is_what_is_told() -> None:
    found = merged_findings(
        [
            ("a", 0.0, (finding("pressure", "warning", 0.0, 50.0),)),
            ("b", 90.0, (finding("pressure", "danger", 0.0, 2.0),)),
        ]
    )
    assert found[0].severity == "danger"
    assert "b: seen for 2 s" in found[0].message


def test_an_inference_is_trusted_as_little_as_in_the_worst_log() -> None:
    found = merged_inferences(
        [
            (
                Inferred("Gear", "told from speeds", "sure", 99.0),
                Inferred("Battery", "13.8 V", "likely"),
            ),
            (Inferred("Gear", "told from speeds", "a guess", 61.0),),
        ]
    )
    assert found[0] == Inferred("Gear", "told from speeds", "a guess", 80.0)
    assert found[1].what == "Battery in 1 of 2 logs"
    assert np.isnan(found[1].share_pct)

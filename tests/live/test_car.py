"""What a car tells of itself, by a way to it that answers as told."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.live.obd.answers import Answer, Heard
from lean_trim.live.obd.car import find_car, read_codes
from lean_trim.live.obd.source import requests
from lean_trim.live.rates import allowed_by, rates_in
from lean_trim.live.source import LostError


class Told:
    """Answers by request, as hexadecimal digits."""

    most = 6

    def __init__(
        self, answers: Mapping[str, tuple[tuple[str, str], ...]], on_can: bool = True
    ) -> None:
        self.answers = answers
        self.counts_codes = on_can
        self.asked: list[str] = []

    def open(self) -> None:
        pass

    def close(self) -> None:
        pass

    def ask(self, data: bytes) -> Heard:
        self.asked.append(data.hex())
        found = self.answers.get(data.hex(), ())
        return Heard(tuple(Answer(ecu, bytes.fromhex(text)) for ecu, text in found))


ENGINE = {
    # A gearbox repeats a few parameters of the engine; the one that tells most is asked.
    "0100": (("7E9", "410000180000"), ("7E8", "4100183A8001")),
    "0120": (("7E8", "412000020001"),),
    "0140": (("7E8", "414010020000"),),
    "014f": (("7E8", "414f04000032"),),
}


def test_the_engines_ecu_is_found_among_several_with_its_own_scaling() -> None:
    car = find_car(Told(ENGINE))
    assert car.ecu == "7E8"
    assert {0x0C, 0x0B, 0x0D, 0x04, 0x05, 0x11, 0x4F} <= car.have
    # PID 4F: pressures up to 500 kPa, λ up to 4.
    assert car.known[0x0B].decode(b"\xff")[0] == pytest.approx(500.0)
    assert car.known[0x44].decode(b"\xff\xff")[0] == pytest.approx(4.0)


def test_without_an_engine_there_is_no_car() -> None:
    with pytest.raises(LostError, match="ignition"):
        find_car(Told({"0100": (("7E9", "410000000000"),)}))


def test_codes_of_all_ecus_with_and_without_a_count() -> None:
    on_can = Told({"03": (("7E8", "430201710420"), ("7E9", "4300")), "07": (("7E8", "47010304"),)})
    found = read_codes(on_can)
    assert found is not None
    assert [(c.code, c.pending) for c in found] == [
        ("P0171", False),
        ("P0420", False),
        ("P0304", True),
    ]
    # Before CAN three codes a line, filled up with zeros.
    older = Told(
        {"03": (("10", "43017100000000"),), "07": (("10", "47000000000000"),)}, on_can=False
    )
    assert [c.code for c in read_codes(older) or ()] == ["P0171"]
    assert read_codes(Told({"03": (("7E8", "4300"),)})) == ()
    # Nobody answers: that is not "none".
    assert read_codes(Told({})) is None


def test_slow_parameters_take_turns_in_the_room_beside_the_fast_ones() -> None:
    made = requests((1, 2, 3, 4), (10, 11, 12), most=6)
    first = [next(made) for _ in range(3)]
    assert first == [(1, 2, 3, 4, 10, 11), (1, 2, 3, 4, 12, 10), (1, 2, 3, 4, 11, 12)]
    one_by_one = requests((1, 2), (10, 11), most=1)
    assert [next(one_by_one) for _ in range(6)] == [(1,), (2,), (10,), (1,), (2,), (11,)]
    assert list(requests((), (), most=6)) == []


@pytest.mark.parametrize(
    ("hz", "word", "tables"),
    [
        (25.0, "tables, pulls and transients", True),
        (5.0, "transients no", True),
        (1.0, "too slow", False),
    ],
)
def test_what_a_rate_allows_is_said(hz: float, word: str, tables: bool) -> None:
    time_s = np.arange(0.0, 20.0, 1.0 / hz)
    rng = np.random.default_rng(1)
    roles = (Role.RPM, Role.MAP, Role.LAMBDA)
    log = Log(time_s, {r: rng.uniform(1.0, 2.0, len(time_s)) for r in roles})
    allowed = allowed_by(rates_in(log))
    assert word in str(allowed.said) and allowed.tables is tables


def test_what_is_missing_is_named() -> None:
    allowed = allowed_by({Role.RPM: 10.0, Role.LAMBDA: 10.0})
    assert not allowed.tables and "manifold pressure" in str(allowed.said)

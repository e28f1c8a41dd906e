"""Bytes of SAE J1979 answers, against worked examples; what an adapter writes, sound and damaged."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.live.obd.adapter import protocol_in
from lean_trim.live.obd.allowed import ForbiddenError, command, request
from lean_trim.live.obd.answers import crc_j1850, heard, values_in
from lean_trim.live.obd.codes import code_of, codes_in, is_makers_own, meaning_of
from lean_trim.live.obd.pids import pids, supported, wanted, with_largest


@pytest.mark.parametrize(
    ("number", "data", "value"),
    [
        # SAE J1979 Annex B, worked from its scaling tables (from memory): least, usual and largest values.
        (0x05, "00", -40.0),
        (0x05, "7B", 83.0),
        (0x06, "80", 0.0),
        (0x06, "00", -100.0),
        (0x06, "FF", 99.21875),
        (0x0A, "64", 300.0),
        (0x0B, "65", 101.0),
        (0x0C, "1AF8", 1726.0),
        (0x0C, "FFFF", 16383.75),
        (0x0E, "80", 0.0),
        (0x0E, "FF", 63.5),
        (0x0F, "4E", 38.0),
        (0x10, "01F4", 5.0),
        (0x11, "FF", 100.0),
        (0x22, "0FA0", 316.0),
        (0x23, "0190", 4000.0),
        (0x24, "80000000", 1.0),
        (0x34, "7AE18000", 0.96),
        (0x42, "36B0", 14.0),
        (0x43, "00FF", 100.0),
        (0x44, "8000", 1.0),
        (0x03, "0200", 1.0),
        (0x03, "0100", 0.0),
        (0x03, "1000", 1.0),
    ],
)
def test_scaling(number: int, data: str, value: float) -> None:
    assert pids()[number].decode(bytes.fromhex(data))[0] == pytest.approx(value, abs=1e-4)


def test_a_car_may_name_its_own_largest_values() -> None:
    known = with_largest(pids(), bytes([4, 0, 0, 51]), bytes([100, 0, 0, 0]))
    assert known[0x24].decode(b"\xff\xff\0\0")[0] == pytest.approx(4.0)
    assert known[0x0B].decode(b"\xff")[0] == pytest.approx(510.0)
    assert known[0x10].decode(b"\xff\xff")[0] == pytest.approx(1000.0)
    usual = with_largest(pids(), bytes(4), bytes(4))
    assert usual[0x0B].decode(b"\x64")[0] == 100.0


def test_masks_name_parameters() -> None:
    # The example every description of the standard gives: BE 1F A8 13.
    found = supported(0, bytes.fromhex("BE1FA813"))
    expected = {1, 3, 4, 5, 6, 7, 0x0C, 0x0D, 0x0E, 0x0F, 0x10, 0x11, 0x13, 0x15, 0x1C, 0x1F, 0x20}
    assert found == expected


def test_the_wideband_before_the_catalyst_is_asked_for() -> None:
    fast, slow = wanted(frozenset({0x0C, 0x0B, 0x06, 0x34, 0x35, 0x24, 0x14, 0x05, 0x22, 0x23}))
    assert 0x34 in fast and not {0x35, 0x24, 0x14} & {*fast, *slow}
    assert 0x22 in fast and 0x23 not in fast
    assert slow == (0x05,)


def test_codes_by_the_standards_letters() -> None:
    assert code_of(0x01, 0x71) == "P0171"
    assert code_of(0x43, 0x00) == "C0300"
    assert code_of(0x92, 0x34) == "B1234"
    assert code_of(0xC1, 0x00) == "U0100"
    assert codes_in(bytes.fromhex("017103000000")) == ("P0171", "P0300")
    assert "lean" in meaning_of("P0171")
    assert meaning_of("P0304") == "cylinder 4 misfires"
    assert meaning_of("P1234") == "" and is_makers_own("P1234") and not is_makers_own("P0171")


def test_answers_of_one_and_of_several_frames() -> None:
    found = heard("7E8 04 41 0C 1A F8\r\r", "6", "010C")
    assert [(a.ecu, a.data.hex()) for a in found.answers] == [("7E8", "410c1af8")]
    text = "SEARCHING...\r7E8100C410C1AF80B65\r7E821067F117F057B00\r"
    whole = heard(text, "6").answers[0].data
    asked = (0x0C, 0x0B, 0x06, 0x11, 0x05)
    assert values_in(whole, 1, asked) == {
        0x0C: b"\x1a\xf8",
        0x0B: b"\x65",
        0x06: b"\x7f",
        0x11: b"\x7f",
        0x05: b"\x7b",
    }
    # Two ECUs whose frames come in between each other.
    mixed = "7E81008410C1AF80B65\r7E9034105FF\r7E821067F\r"
    assert {a.ecu for a in heard(mixed, "6").answers} == {"7E8", "7E9"}
    long = heard("18DAF11004410C1AF8", "7").answers[0]
    assert (long.ecu, long.data.hex()) == ("18DAF110", "410c1af8")


def test_answers_without_can_have_their_check_byte_tested() -> None:
    # 48 6B 10 41 0C 1A F8: ISO 9141-2's sum, SAE J1850's check byte.
    body = bytes.fromhex("486B10410C1AF8")
    total = sum(body) & 0xFF
    assert heard((body + bytes([total])).hex(), "3").answers[0].data.hex() == "410c1af8"
    assert heard((body + bytes([total ^ 1])).hex(), "3").damaged == 1
    assert heard((body + bytes([crc_j1850(body)])).hex(), "1").answers
    # The check value of the field's catalogues for CRC-8/SAE-J1850 over "123456789".
    assert crc_j1850(b"123456789") == 0x4B


@pytest.mark.parametrize(
    ("text", "lost"),
    [
        ("UNABLE TO CONNECT", True),
        ("SEARCHING...UNABLE TO CONNECT", True),
        ("BUS INIT: ...ERROR", True),
        ("LV RESET", True),
        ("ERR94", True),
        ("CAN ERROR", False),
        ("7E8 03 41 <DATA ERROR", False),
        ("BUFFER FULL", False),
        ("?", False),
    ],
)
def test_trouble_is_told_in_words(text: str, lost: bool) -> None:
    found = heard(text, "6", "010C")
    assert found.trouble is not None and not found.answers
    assert found.is_lost is lost


def test_no_data_echo_and_halves_are_no_answer() -> None:
    assert heard("010C\rNO DATA\r", "6", "010C").answers == ()
    assert heard("7E8 10 0D 41 0C 1A F8 0B 65\r", "6").damaged == 1
    assert heard("7E8 22 06 7F\r", "6").damaged == 1
    assert values_in(bytes.fromhex("410C1A"), 1, (0x0C,)) == {}
    assert values_in(bytes.fromhex("410D20"), 1, (0x0C,)) == {}


@given(
    st.text(alphabet="0123456789ABCDEF \r\n>.?<SEARCHINODT", max_size=200), st.sampled_from("13679")
)
def test_nothing_an_adapter_writes_does_harm(text: str, protocol: str) -> None:
    for answer in heard(text, protocol, "010C").answers:
        for number, data in values_in(answer.data, 1, tuple(pids())).items():
            pids()[number].decode(data)


@given(st.binary(max_size=9))
def test_only_what_reads_may_be_sent(data: bytes) -> None:
    if data and data[0] in (1, 3, 7, 9) and len(data) <= 7:
        assert request(data) == data
    else:
        with pytest.raises(ForbiddenError):
            request(data)


@pytest.mark.parametrize(
    "text", ["SP0", "SP6", "PP01SV01", "SI", "@3X", "CRA7E8", "SH7E0", "BRD10", "Z1", "E1", ""]
)
def test_commands_that_last_or_send_otherwise_are_refused(text: str) -> None:
    with pytest.raises(ForbiddenError):
        command(text)


@pytest.mark.parametrize(
    ("lines", "protocol"),
    [
        (["A6"], "6"),
        (["8"], "8"),
        (["AA"], "A"),
        (["?"], "6"),
        ([], "6"),
        (["A0"], "6"),
        (["A9"], "9"),
    ],
)
def test_the_protocol_an_adapter_names(lines: list[str], protocol: str) -> None:
    assert protocol_in(lines) == protocol

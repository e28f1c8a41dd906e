"""Nothing in the code can write to a car but the two ways that hold every word against what only reads."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

from lean_trim import live
from lean_trim.live.can.bus import BusAddress
from lean_trim.live.obd.adapter import Adapter
from lean_trim.live.obd.allowed import ForbiddenError
from lean_trim.live.obd.can_exchange import CanExchange

ROOM = Path(live.__file__).parent
SENDING = {"write", "send", "send_periodic", "flash_led", "sendto", "sendall", "transmit"}
DOORS = {
    # The device itself; only the adapter has one to write to.
    "serial_port.py": {"write"},
    "obd/adapter.py": {"write"},
    "obd/can_exchange.py": {"send"},
}
"""Files that may send, and by what."""


def calls_of(tree: ast.AST) -> set[str]:
    return {
        node.func.attr
        for node in ast.walk(tree)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute)
    }


def test_only_two_doors_lead_to_a_car() -> None:
    for path in sorted(ROOM.rglob("*.py")):
        sent = calls_of(ast.parse(path.read_text(encoding="utf-8"))) & SENDING
        assert sent <= DOORS.get(str(path.relative_to(ROOM)), set()), path


def test_in_the_doors_only_one_function_sends_and_every_way_to_it_is_held_against_the_list() -> (
    None
):
    adapter = ast.parse((ROOM / "obd/adapter.py").read_text(encoding="utf-8"))
    tells = [
        ast.unparse(node.args[0])
        for node in ast.walk(adapter)
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Attribute)
        and node.func.attr == "_tell"
    ]
    # Commands pass ``command``; what is asked passes ``request`` before it comes to ``_exchange``.
    assert sorted(tells) == ["'AT' + command('Z')", "'AT' + command(text)", "sent"]
    asked = [
        ast.unparse(node.args[0])
        for node in ast.walk(adapter)
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Attribute)
        and node.func.attr == "_exchange"
    ]
    assert asked and all(a.startswith("request(") for a in asked)


WRITES = [b"\x04", b"\x08\x00", b"\x2e\xf1\x90\x00", b"\x10\x02", b"\x14\xff", b"\x31"]


@pytest.mark.parametrize("data", WRITES)
def test_both_doors_refuse_what_is_not_reading(data: bytes) -> None:
    with pytest.raises(ForbiddenError):
        Adapter("/dev/null").ask(data)
    with pytest.raises(ForbiddenError):
        CanExchange(BusAddress("virtual", "x", None)).ask(data)

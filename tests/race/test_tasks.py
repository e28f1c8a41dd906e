"""However a piece of work ends, there is one answer and the lane is free."""

from __future__ import annotations

import sys
import threading
import time

import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.workspace.changes import Hub, Notice, WorkEnded
from lean_trim.workspace.driven_car import drive_apart
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.tasks import Lane, Report, Tasks


class PanicException(BaseException):
    """As a reading library written in Rust raises it: no ``Exception``."""


class Shop:
    """Tasks with a loop, and what they told."""

    def __init__(self) -> None:
        self.loop, self.hub = ManualLoop(), Hub()
        self.tasks = Tasks(self.loop, self.hub)
        self.notices: list[Notice] = []
        self.answers: list[object] = []
        self.ended: list[WorkEnded] = []
        self.hub.subscribe(Notice, self.notices.append)
        self.hub.subscribe(WorkEnded, self.ended.append)

    def run(self, work: object) -> None:
        self.tasks.start(Lane.READING, "Reading", work, self.answers.append)  # type: ignore[arg-type]
        self.loop.run_until(lambda: not self.tasks.running)


@pytest.fixture
def shop() -> Shop:
    return Shop()


def raising(error: BaseException) -> object:
    def work(report: Report) -> None:
        raise error

    return work


@pytest.mark.parametrize(
    ("error", "words"),
    [
        (PanicException("index out of bounds"), "PanicException: index out of bounds"),
        (SystemExit(3), "SystemExit"),
        (KeyboardInterrupt(), "KeyboardInterrupt"),
        (MemoryError(), "MemoryError"),
        (LogError("a.csv: the file is empty"), "a.csv: the file is empty"),
        (OSError(5, "Input/output error"), "Input/output error"),
    ],
)
def test_any_failure_ends_in_a_message_and_a_free_lane(
    shop: Shop, error: BaseException, words: str
) -> None:
    shop.run(raising(error))
    assert words in shop.notices[-1].text and shop.notices[-1].kind == "error"
    shop.run(lambda report: 42)
    assert shop.answers == [42] and len(shop.ended) == 2


def test_what_hangs_is_let_go_and_its_answer_dropped(shop: Shop) -> None:
    gate = threading.Event()

    def work(report: Report) -> int:
        gate.wait(30.0)
        return 1

    shop.tasks.start(Lane.READING, "Reading", work, shop.answers.append)
    began = time.perf_counter()
    shop.tasks.cancel()
    assert time.perf_counter() - began < 0.1 and not shop.tasks.running
    assert "cancelled; nothing was changed" in shop.notices[-1].text
    shop.run(lambda report: 2)
    gate.set()
    time.sleep(0.1)
    shop.loop.turn()
    assert shop.answers == [2]


def test_closing_does_not_wait_for_what_hangs(shop: Shop) -> None:
    shop.tasks.start(Lane.READING, "Reading", lambda report: time.sleep(20), shop.answers.append)
    began = time.perf_counter()
    shop.tasks.drop_all()
    assert time.perf_counter() - began < 0.5 and not shop.tasks.running


def test_what_comes_too_late_is_handed_back_to_be_closed(shop: Shop) -> None:
    """An open file that nobody waits for any more once held its job for as long as the window lived."""
    go = threading.Event()
    closed = []

    def work(report: Report) -> str:
        go.wait(10.0)
        return "an open file"

    shop.tasks.start(Lane.READING, "Opening", work, shop.answers.append, discard=closed.append)
    shop.tasks.cancel()
    go.set()
    shop.loop.run_until(lambda: closed != [])
    assert closed == ["an open file"] and shop.answers == []


def test_lanes_do_not_block_one_another(shop: Shop) -> None:
    gate = threading.Event()
    shop.tasks.start(Lane.READING, "Reading", lambda report: gate.wait(10.0), shop.answers.append)
    shop.tasks.start(Lane.SOLVING, "Solving", lambda report: 7, shop.answers.append)
    shop.loop.run_until(lambda: shop.answers == [7])
    assert shop.tasks.start(Lane.READING, "Reading", lambda report: 8, shop.answers.append) is None
    assert "still running" in shop.notices[-1].text
    gate.set()


def child(code: str) -> list[str]:
    return [sys.executable, "-c", code]


def follow(shop: Shop, vehicle: Vehicle, code: str, silent_s: float = 10.0) -> None:
    shop.run(lambda report: drive_apart(vehicle, 1, 1.0, report, child(code), silent_s))


HEAD = "print('Time,Engine speed'); print('s,rpm'); "
ROWS = "[print(f'{i/10},900') for i in range(1200)]; "


def test_a_child_that_fills_its_error_stream_is_followed_all_the_same(
    shop: Shop, heron_vehicle: Vehicle
) -> None:
    follow(shop, heron_vehicle, f"import sys; sys.stderr.write('x' * 300_000); {HEAD}{ROWS}")
    assert isinstance(shop.answers[0], Log) and len(shop.answers[0]) == 1200


def test_a_silent_child_is_ended_with_words(shop: Shop, heron_vehicle: Vehicle) -> None:
    follow(shop, heron_vehicle, f"import time; {HEAD}time.sleep(60)", silent_s=0.5)
    assert "said nothing for" in shop.notices[-1].text and not shop.tasks.running


def test_a_stopped_drive_lets_nothing_escape_from_its_readers(
    shop: Shop, heron_vehicle: Vehicle, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its streams are closed under the threads that read them, which once was told as a crash."""
    escaped: list[object] = []
    monkeypatch.setattr(threading, "excepthook", escaped.append)
    endless = f"{HEAD}i = 0\nwhile True:\n print(f'{{i / 10}},900', flush=True); i += 1"
    for _ in range(5):
        began = threading.Event()

        def work(report: Report, began: threading.Event = began) -> Log:
            began.set()
            return drive_apart(heron_vehicle, 1, 1.0, report, child(endless))

        shop.tasks.start(Lane.READING, "Driving", work, shop.answers.append)
        assert began.wait(10.0)
        time.sleep(0.3)
        task = shop.tasks.running[Lane.READING]
        shop.tasks.cancel()
        task._thread.join(10.0)
    time.sleep(0.2)
    assert escaped == []


def test_a_child_that_dies_says_why(shop: Shop, heron_vehicle: Vehicle) -> None:
    follow(shop, heron_vehicle, "import sys; sys.exit('the engine seized')")
    assert "the engine seized" in shop.notices[-1].text


def test_cancelling_ends_the_child(shop: Shop, heron_vehicle: Vehicle) -> None:
    ended: list[BaseException] = []

    def work(report: Report) -> Log:
        try:
            return drive_apart(
                heron_vehicle, 1, 1.0, report, child(f"import time; {HEAD}time.sleep(60)")
            )
        except BaseException as error:
            ended.append(error)
            raise

    shop.tasks.start(Lane.READING, "Driving", work, shop.answers.append)
    time.sleep(0.5)
    shop.tasks.cancel()
    deadline = time.monotonic() + 5.0
    while not ended and time.monotonic() < deadline:
        time.sleep(0.02)
    assert isinstance(ended[0], CancelledError | LogError)


def test_an_answer_nobody_can_take_leaves_the_lane_free_and_says_that_it_ended(shop: Shop) -> None:
    ended: list[WorkEnded] = []
    shop.tasks.hub.subscribe(WorkEnded, ended.append)

    def broken(answer: object) -> None:
        raise ZeroDivisionError

    shop.tasks.start(Lane.READING, "Reading", lambda _: 1, broken)
    with pytest.raises(ZeroDivisionError):
        shop.loop.run_until(lambda: bool(ended))
    assert len(ended) == 1 and not shop.tasks.running

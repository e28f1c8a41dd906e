"""Records sources: each heard by a thread of its own, everything appended to one file twice a second.

Three kinds of threads. A *hearing* one per source opens it, reads it and tries again where it is lost. The
*taking* one has every reading first: it tells listeners at once, for a danger must not wait for a disk.
The *writing* one appends what was gathered; a disk that is slow or full holds up nobody else.
"""

from __future__ import annotations

import logging
import queue
import threading
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from enum import StrEnum
from typing import Any

from lean_trim import __version__
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message, Said
from lean_trim.formats.recording.frames import Stream
from lean_trim.formats.recording.journal import NO_ROOM, Journal
from lean_trim.live.source import Clock, LostError, Reading, Source

LOGGER = logging.getLogger(__name__)


class Say:
    """What the recorder says."""

    LOST = Message("recorder.lost", "{why}")
    FAILED = Message("recorder.failed", "{source} failed ({kind}: {why}); it is tried again")
    SILENT = Message("recorder.silent", "nothing has come from {source} for {seconds:.0f} s")
    DISK_FULL = Message(
        "recorder.disk_full",
        "THE DISK IS FULL: nothing more is written; {seconds:.0f} s are in memory only. Make room now",
    )
    LOW_DISK = Message(
        "recorder.low_disk",
        "the disk is full; the room kept for that is being used. End the drive, or make room",
    )
    NOT_WRITTEN = Message(
        "recorder.not_written",
        "the recording cannot be written ({why}); {seconds:.0f} s are in memory only",
    )


Heard = tuple[int, Sequence[Reading] | Callable[[], None]]
"""Number of the source, and its readings or what becomes of it."""
FLUSH_S = 0.4
"""From a reading to the file, at most; with the disk's own time that stays below a second."""
LOOK_S = 0.1
"""How often sources that say nothing are looked for."""
SYNC_S = 1.0
TRY_AGAIN_S = (0.2, 0.5, 1.0, 2.0)
"""Between one try to reach a source and the next; the last goes on."""
SILENT_S = 2.0
"""Without a reading for so long a source counts as not heard."""
MOST_PENDING = 4_000_000
"""Readings kept in memory while the disk refuses: an hour of sixty a second in twenty channels."""


class Condition(StrEnum):
    """How a source stands."""

    OPENING = "opening"
    RUNNING = "running"
    SILENT = "silent"
    LOST = "lost"
    ENDED = "ended"


@dataclass(frozen=True)
class SourceState:
    """How one source stands.

    Attributes
    ----------
    address : of it.
    condition : how it is.
    said : why, where it is not as it should be.
    readings : received so far.
    last_s : time of the last one; NaN before the first.
    losses : how often it was lost.
    """

    address: str
    condition: Condition = Condition.OPENING
    said: Said | None = None
    readings: int = 0
    last_s: float = float("nan")
    losses: int = 0


@dataclass(frozen=True)
class State:
    """How a recording stands.

    Attributes
    ----------
    sources : in their order.
    seconds : since it began.
    trouble : what keeps it from being written, None where nothing does.
    dropped : readings that are lost for good.
    """

    sources: tuple[SourceState, ...]
    seconds: float
    trouble: Said | None = None
    dropped: int = 0


Listener = Callable[[Sequence[Reading]], None]


@dataclass
class _Gathered:
    """Readings of a stream that are not written yet."""

    times: list[float] = field(default_factory=list)
    values: list[tuple[float, ...]] = field(default_factory=list)


@dataclass
class _Batch:
    """What is written at once."""

    rows: dict[Stream, _Gathered] = field(default_factory=lambda: defaultdict(_Gathered))
    notes: list[dict[str, Any]] = field(default_factory=list)
    count: int = 0
    began_s: float = 0.0


class Recorder:
    """Records until it is stopped.

    Parameters
    ----------
    sources : not open yet.
    clock : of the session, the sources' own.
    journal : what is appended to; None to listen only.
    listeners : called with every reading as soon as it is there, in one thread; must not wait.
    facts : what else is to be told at the beginning of the recording.
    """

    def __init__(
        self,
        sources: Sequence[Source],
        clock: Clock,
        journal: Journal | None = None,
        listeners: Sequence[Listener] = (),
        facts: Mapping[str, Any] | None = None,
    ) -> None:
        self.sources = tuple(sources)
        self.clock = clock
        self.journal = journal
        self.listeners = tuple(listeners)
        self._lock = threading.Lock()
        self._states = [SourceState(s.address) for s in self.sources]
        self._gaps: list[tuple[float, str] | None] = [None] * len(self.sources)
        self._trouble: Said | None = None
        self._dropped = 0
        self._stopping = threading.Event()
        # What a source says and what becomes of it pass in their order: a reading that was heard before a
        # loss must not end its gap, nor one before the end make it run again.
        self._inbox: queue.SimpleQueue[Heard | None] = queue.SimpleQueue()
        self._outbox: queue.Queue[_Batch | None] = queue.Queue()
        self._batch = _Batch()
        if journal is not None:
            journal.start(
                {
                    "program": f"lean-trim {__version__}",
                    "began": datetime.now(UTC).isoformat(timespec="milliseconds"),
                    "zero_s": clock.now(),
                    "sources": [s.address for s in self.sources],
                    **(facts or {}),
                }
            )
        self._hearing = [
            threading.Thread(target=self._hear, args=(i,), name=f"hearing {s.address}", daemon=True)
            for i, s in enumerate(self.sources)
        ]
        self._taking = threading.Thread(target=self._take, name="taking readings", daemon=True)
        self._writing = threading.Thread(target=self._write, name="writing readings", daemon=True)

    def start(self) -> None:
        """Begin."""
        for thread in (self._writing, self._taking, *self._hearing):
            thread.start()

    @property
    def state(self) -> State:
        """How it stands now."""
        with self._lock:
            return State(tuple(self._states), self.clock.now(), self._trouble, self._dropped)

    @property
    def is_over(self) -> bool:
        """Whether no source will ever say anything more."""
        return all(s.condition is Condition.ENDED for s in self.state.sources)

    def mark(self, note: Mapping[str, Any]) -> None:
        """Keep a note with its time: a danger, a bookmark."""
        with self._lock:
            self._batch.notes.append({"at_s": self.clock.now(), **note})

    def stop(self) -> None:
        """End in order: everything that was received is written, and the file is closed."""
        self._stopping.set()
        for thread in self._hearing:
            thread.join()
        self._inbox.put(None)
        self._taking.join()
        self._outbox.put(None)
        self._writing.join()

    # ---- hearing -----------------------------------------------------------------------------

    def _hear(self, i: int) -> None:
        source = self.sources[i]
        tries = 0
        while not self._stopping.is_set():
            try:
                source.open()
                # It counts as reached with the first reading, not before.
                while not self._stopping.is_set():
                    readings = source.read()
                    if readings:
                        tries = 0
                        self._inbox.put((i, readings))
            except EOFError:
                self._ended(i, None)
                break
            except LostError as error:
                self._lost(i, error.said or Say.LOST(why=error))
            except LeanTrimError as error:
                # What the user has to change; trying again would change nothing.
                self._ended(i, error.said or Say.LOST(why=error))
                break
            # A source is somebody else's code and a device; whatever it throws, the drive goes on.
            except Exception as error:
                LOGGER.exception("source %s failed", source.address)
                words = (str(error).splitlines() or [""])[0]
                kind = type(error).__name__
                self._lost(i, Say.FAILED(source=source.address, kind=kind, why=words))
            self._close(source)
            self._stopping.wait(TRY_AGAIN_S[min(tries, len(TRY_AGAIN_S) - 1)])
            tries += 1
        self._close(source)

    def _close(self, source: Source) -> None:
        try:
            source.close()
        except Exception:
            LOGGER.exception("source %s could not be closed", source.address)

    def _ended(self, i: int, said: Said | None) -> None:
        self._inbox.put((i, lambda: self._set(i, condition=Condition.ENDED, said=said)))

    def _lost(self, i: int, said: Said) -> None:
        self._inbox.put((i, lambda: self._lose(i, said)))

    def _lose(self, i: int, said: Said) -> None:
        with self._lock:
            losses = self._states[i].losses + (self._states[i].condition is Condition.RUNNING)
        self._set(i, condition=Condition.LOST, said=said, losses=losses)
        self._begin_gap(i, str(said))

    def _set(self, i: int, **changes: Any) -> None:
        with self._lock:
            self._states[i] = replace(self._states[i], **changes)

    # ---- gaps --------------------------------------------------------------------------------

    def _begin_gap(self, i: int, why: str) -> None:
        with self._lock:
            state = self._states[i]
            if self._gaps[i] is None:
                last = state.last_s
                self._gaps[i] = (last if last == last else 0.0, why)

    def _end_gap(self, i: int, to_s: float | None) -> None:
        """The lock is held."""
        gap = self._gaps[i]
        if gap is None:
            return
        self._gaps[i] = None
        note = {"note": "gap", "source": self.sources[i].address, "from_s": gap[0], "why": gap[1]}
        self._batch.notes.append({**note, "to_s": to_s})

    # ---- taking ------------------------------------------------------------------------------

    def _take(self) -> None:
        """Every reading passes here, one after the other."""
        flushed_s = looked_s = self.clock.now()
        going = True
        while going:
            try:
                item = self._inbox.get(timeout=LOOK_S)
            except queue.Empty:
                item = (-1, ())
            if item is None:
                going = False
            elif callable(item[1]):
                item[1]()
            elif item[1]:
                self._taken(item[0], item[1])
            now = self.clock.now()
            if now - looked_s >= LOOK_S:
                looked_s = now
                self._watch_silence(now)
            if now - flushed_s >= FLUSH_S or not going:
                flushed_s = now
                self._flush(now)

    def _taken(self, i: int, readings: Sequence[Reading]) -> None:
        for listener in self.listeners:
            listener(readings)
        with self._lock:
            state = self._states[i]
            # A gap ends with what is heard after it.
            self._end_gap(i, readings[0].time_s)
            self._states[i] = replace(
                state,
                condition=Condition.RUNNING,
                said=None,
                readings=state.readings + len(readings),
                last_s=readings[-1].time_s,
            )
            batch = self._batch
            for reading in readings:
                gathered = batch.rows[reading.stream]
                gathered.times.append(reading.time_s)
                gathered.values.append(reading.values)
            batch.count += len(readings)

    def _watch_silence(self, now: float) -> None:
        for i, state in enumerate(self.state.sources):
            is_silent = state.condition is Condition.RUNNING and now - state.last_s > SILENT_S
            if is_silent and self.sources[i].paced:
                said = Say.SILENT(source=state.address, seconds=now - state.last_s)
                self._set(i, condition=Condition.SILENT, said=said)
                self._begin_gap(i, str(said))

    def _flush(self, now: float) -> None:
        with self._lock:
            batch = self._batch
            self._batch = _Batch(began_s=now)
        if batch.rows or batch.notes:
            self._outbox.put(batch)

    # ---- writing -----------------------------------------------------------------------------

    def _write(self) -> None:
        waiting: list[_Batch] = []
        synced_s = self.clock.now()
        going = True
        while going:
            try:
                batch = self._outbox.get(timeout=SYNC_S)
                going = batch is not None
                if batch is not None:
                    waiting.append(batch)
            except queue.Empty:
                pass
            self._append(waiting)
            self._bound(waiting)
            if self.clock.now() - synced_s >= SYNC_S:
                synced_s = self.clock.now()
                self._sync()
        self._end(waiting)

    def _append(self, waiting: list[_Batch]) -> None:
        """Write what waits, in its order; what cannot be written goes on waiting."""
        if self.journal is None:
            waiting.clear()
        while waiting:
            try:
                self._append_one(waiting[0])
            except OSError as error:
                self._tell(error, self.clock.now() - waiting[0].began_s)
                return
            waiting.pop(0)
        full = (
            self.journal is not None and not self.journal.has_reserve and self.journal.had_reserve
        )
        self._set_trouble(Say.LOW_DISK() if full else None)

    def _append_one(self, batch: _Batch) -> None:
        """What of a batch was written is taken out of it, so that trying again repeats nothing."""
        assert self.journal is not None
        while batch.notes:
            self.journal.note(batch.notes[0])
            batch.notes.pop(0)
        while batch.rows:
            stream, gathered = next(iter(batch.rows.items()))
            self.journal.rows(stream, gathered.times, gathered.values)
            del batch.rows[stream]

    def _bound(self, waiting: list[_Batch]) -> None:
        """Memory has an end as well; what came last is lost then, and told."""
        while len(waiting) > 1 and sum(b.count for b in waiting) > MOST_PENDING:
            lost = waiting.pop()
            with self._lock:
                self._dropped += lost.count

    def _tell(self, error: OSError, seconds: float) -> None:
        if error.errno in NO_ROOM:
            self._set_trouble(Say.DISK_FULL(seconds=seconds))
        else:
            self._set_trouble(Say.NOT_WRITTEN(why=error.strerror or error, seconds=seconds))

    def _set_trouble(self, said: Said | None) -> None:
        with self._lock:
            self._trouble = said

    def _sync(self) -> None:
        if self.journal is None:
            return
        try:
            self.journal.sync()
        except OSError as error:
            self._tell(error, 0.0)

    def _end(self, waiting: list[_Batch]) -> None:
        if self.journal is None:
            return
        last = _Batch()
        with self._lock:
            for i in range(len(self.sources)):
                self._end_gap(i, None)
            last.notes = [*self._batch.notes, {"note": "end", "at_s": self.clock.now()}]
        waiting.append(last)
        self._append(waiting)
        self.journal.close()

"""What the user answers and notes of a round: each word is dated, kept and undoable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from lean_trim.core.messages import Message
from lean_trim.job.database import now
from lean_trim.job.records import Word, WordKey
from lean_trim.job.word_rows import MOST_TEXT
from lean_trim.workspace.changes import Part, Resting
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving


class Say:
    """What this module says."""

    WRITE = Message("words.write", "Write “{what}”")
    TAKE_BACK = Message("words.take_back", "Take back “{what}”")


@dataclass(frozen=True)
class WordChange:
    """Words of a round, before and after; None for none."""

    words: Words
    round_id: int
    what: str
    before: Mapping[WordKey, Word | None]
    after: Mapping[WordKey, Word | None]

    @property
    def text(self) -> str:
        """For the menu."""
        taken = all(word is None for word in self.after.values())
        return str((Say.TAKE_BACK if taken else Say.WRITE)(what=self.what))

    def apply(self) -> None:
        """Save and take the later words."""
        self.words.put(self.round_id, self.after)

    def again(self) -> WordChange | None:
        """The same words, whatever stands there now."""
        r = self.words.open.round_of(self.round_id)
        return None if r is None else replace(self, before={k: r.words.get(k) for k in self.after})

    def revert(self) -> None:
        """Save and take the earlier words."""
        self.words.put(self.round_id, self.before)


class Words:
    """Answers and notes of the round that is looked at."""

    def __init__(self, open_job: OpenJob, saving: Saving, history: History) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self._typed: tuple[int, str, dict[str, str], str] | None = None
        open_job.hub.subscribe(Resting, lambda _: self.flush())

    def type_in(self, kind: str, texts: Mapping[str, str], what: str) -> None:
        """What stands in a field that is being typed in; kept when it is left, or the round is.

        Parameters
        ----------
        kind, texts, what : as for ``write_all``.
        """
        current = self.open.round
        if current is not None:
            self._typed = (current.id, kind, dict(texts), what)

    def flush(self) -> None:
        """Keep what is being typed."""
        typed = self._typed
        self._typed = None
        if typed is not None and self.open.shows(typed[0]):
            self.write_all(*typed[1:])

    def of(self, kind: str) -> Mapping[str, Word]:
        """Words of one kind of the shown round, by key.

        Parameters
        ----------
        kind : such as "check" or "note".
        """
        current = self.open.round
        words = {} if current is None else current.words
        return {key: word for (k, key), word in words.items() if k == kind}

    def write(self, kind: str, key: str, text: str, what: str) -> bool:
        """Write a word of the shown round; "" takes it back.

        Parameters
        ----------
        kind, key : of the word.
        text : the word.
        what : it in a few words, for the menu.

        Returns
        -------
        Whether it stands so now.
        """
        return self.write_all(kind, {key: text}, what)

    def write_all(self, kind: str, texts: Mapping[str, str], what: str) -> bool:
        """Write words of the shown round as one change; "" takes one back.

        Parameters
        ----------
        kind : of the words.
        texts : by key.
        what : them in a few words, for the menu.

        Returns
        -------
        Whether they stand so now.
        """
        current = self.open.round
        if current is None:
            return False
        made = now()
        before = {(kind, key): current.words.get((kind, key)) for key in texts}
        after = {
            (kind, key): Word(text[:MOST_TEXT], made) if text.strip() else None
            for key, text in texts.items()
        }
        changed = [k for k in after if _text(before[k]) != _text(after[k])]
        if not changed:
            return True
        change = WordChange(
            self, current.id, what, {k: before[k] for k in changed}, {k: after[k] for k in changed}
        )
        return self.saving.attempt(lambda: self.history.push(change), change)

    def put(self, round_id: int, changed: Mapping[WordKey, Word | None]) -> None:
        """Save words, then take them into memory.

        Raises SaveFailedError if the file refused it; both are then as they were.
        """
        current = self.open.round_of(round_id)
        if current is None:
            return
        words = {k: w for k, w in current.words.items() if k not in changed}
        words |= {k: w for k, w in changed.items() if w is not None}
        self.open.commit(lambda store: store.save_words(round_id, words))
        self.open.take_round(replace(current, words=words), Part.WORDS)


def _text(word: Word | None) -> str:
    return "" if word is None else word.text

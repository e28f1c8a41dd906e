"""What the user answers and notes of a round: each word is dated, kept and undoable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from lean_trim.core.messages import Message
from lean_trim.job.database import now
from lean_trim.job.records import Word, WordKey
from lean_trim.job.word_rows import MOST_TEXT
from lean_trim.workspace.changes import Part
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving


class Say:
    """What this module says."""

    WRITE = Message("words.write", "Write “{what}”")
    TAKE_BACK = Message("words.take_back", "Take back “{what}”")


@dataclass(frozen=True)
class WordChange:
    """One word of a round, before and after; None for none."""

    words: Words
    round_id: int
    key: WordKey
    what: str
    before: Word | None
    after: Word | None

    @property
    def text(self) -> str:
        """For the menu."""
        return str((Say.TAKE_BACK if self.after is None else Say.WRITE)(what=self.what))

    def apply(self) -> None:
        """Save and take the later word."""
        self.words.put(self.round_id, self.key, self.after)

    def again(self) -> WordChange | None:
        """The same word, whatever stands there now."""
        r = self.words.open.round_of(self.round_id)
        return None if r is None else replace(self, before=r.words.get(self.key))

    def revert(self) -> None:
        """Save and take the earlier word."""
        self.words.put(self.round_id, self.key, self.before)


class Words:
    """Answers and notes of the round that is looked at."""

    def __init__(self, open_job: OpenJob, saving: Saving, history: History) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history

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
        current = self.open.round
        if current is None:
            return False
        before = current.words.get((kind, key))
        after = Word(text[:MOST_TEXT], now()) if text.strip() else None
        if (before is None and after is None) or (
            before is not None and after is not None and before.text == after.text
        ):
            return True
        change = WordChange(self, current.id, (kind, key), what, before, after)
        return self.saving.attempt(lambda: self.history.push(change), change)

    def put(self, round_id: int, key: WordKey, word: Word | None) -> None:
        """Save a word, then take it into memory.

        Raises SaveFailedError if the file refused it; both are then as they were.
        """
        current = self.open.round_of(round_id)
        if current is None:
            return
        words = {k: w for k, w in current.words.items() if k != key}
        if word is not None:
            words[key] = word
        self.open.commit(lambda store: store.save_words(round_id, words))
        self.open.take_round(replace(current, words=words), Part.WORDS)

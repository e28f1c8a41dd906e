"""The tone of a danger, and spoken words, by whatever the system has installed to play them."""

from __future__ import annotations

import math
import shutil
import struct
import subprocess
import tempfile
import wave
from contextlib import suppress
from pathlib import Path

from PySide6.QtWidgets import QApplication

from lean_trim.formats.own_folder import own_prefix

PLAYERS = (("pw-play",), ("paplay",), ("aplay", "-q"))
SPEAKERS = (("spd-say", "--wait"), ("espeak-ng",), ("espeak",))
RATE_HZ = 22050
PITCHES_HZ = (880.0, 1320.0)
"""Two tones in turn: hard to take for anything of the car."""
PIECE_S = 0.18
PIECES = 10
LOUD = 0.8
FULL = 32767


def installed(commands: tuple[tuple[str, ...], ...]) -> tuple[str, ...] | None:
    """The first of several commands that is installed, None if none is."""
    return next((c for c in commands if shutil.which(c[0])), None)


def write_tone(path: Path) -> None:
    """Write the tone as a WAV file of about two seconds."""
    samples = []
    for piece in range(PIECES):
        pitch = PITCHES_HZ[piece % 2]
        for i in range(round(PIECE_S * RATE_HZ)):
            samples.append(round(FULL * LOUD * math.sin(2.0 * math.pi * pitch * i / RATE_HZ)))
    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(RATE_HZ)
        out.writeframes(struct.pack(f"<{len(samples)}h", *samples))


class Tone:
    """Sounds until it is told to stop; where nothing can play it, the system's bell does."""

    def __init__(self) -> None:
        self.player = installed(PLAYERS)
        self.speaker = installed(SPEAKERS)
        self.speaks = False
        self.sounding = False
        self._playing: subprocess.Popen[bytes] | None = None
        self._file: Path | None = None

    def prepare(self) -> None:
        """Have the tone lie ready: a danger must not wait for it to be made."""
        if self._file is None and self.player is not None:
            self._file = Path(tempfile.mkdtemp(prefix=own_prefix())) / "danger.wav"
            write_tone(self._file)

    def go_on(self) -> None:
        """Sound, or go on sounding; asked again and again while a danger stands."""
        self.sounding = True
        if self.player is None or self._file is None:
            QApplication.beep()
            return
        if self._playing is None or self._playing.poll() is not None:
            self._playing = self._run((*self.player, str(self._file)))

    def stop(self) -> None:
        """Be silent."""
        self.sounding = False
        if self._playing is not None:
            with suppress(OSError):
                self._playing.terminate()
            self._playing = None

    def say(self, words: str) -> None:
        """Speak, where that is wanted and possible; the words are handed on as they are, to no shell."""
        if self.speaks and self.speaker is not None:
            self._run((*self.speaker, words))

    def _run(self, words: tuple[str, ...]) -> subprocess.Popen[bytes] | None:
        with suppress(OSError):
            return subprocess.Popen(
                words,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
        return None

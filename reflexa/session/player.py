"""The playhead, and playing by the wall clock."""

from __future__ import annotations

import time
from dataclasses import dataclass

from reflexa.session.loop import Loop
from reflexa.session.signals import Signal

# Milliseconds between two looks at the clock.
_TICK = 8


@dataclass(frozen=True)
class Playable:
    """What can be played: number of frames, first and last of the range, and frames a second at which they pass."""

    frames: int = 1
    first: int = 0
    last: int = 0
    rate: float = 30.0
    ready: bool = False


class Player:
    """``moved``: the playhead is at another frame. ``changed``: it plays, or no longer."""

    def __init__(self, loop: Loop) -> None:
        self.moved, self.changed = Signal[()](), Signal[()]()
        self.span = Playable()
        self.frame = 0
        self.playing = False
        self.looping = True
        # How many times the range was begun again since it plays.
        self.rounds = 0
        self._began = self._played_from = 0.0
        self._ticker = loop.timer(self._tick, _TICK)

    def fit(self, span: Playable) -> None:
        """Something else can be played; the playhead stays where it is if it can."""
        self.span = span
        self.set_frame(self.frame)

    def set_frame(self, frame: int) -> None:
        """Move the playhead; playing goes on from there."""
        frame = max(0, min(int(frame), self.span.frames - 1))
        if self.playing:
            self._played_from = frame
            self._began = time.perf_counter()
        if frame != self.frame:
            self.frame = frame
            self.moved.emit()

    def play(self) -> None:
        span = self.span
        if not span.ready or span.frames < 2:
            return
        if not span.first <= self.frame < span.last:
            self.set_frame(span.first)
        self.rounds = 0
        self.playing = True
        self._played_from = float(self.frame)
        self._began = time.perf_counter()
        self._ticker.start()
        self.changed.emit()

    def pause(self) -> None:
        if self.playing:
            self.playing = False
            self.rounds = 0
            self._ticker.stop()
            self.changed.emit()

    def toggle(self) -> None:
        (self.pause if self.playing else self.play)()

    def _tick(self) -> None:
        span = self.span
        # By the wall clock: frames are dropped rather than time stretched.
        position = self._played_from + (time.perf_counter() - self._began) * span.rate
        if position >= span.last:
            if not self.looping:
                self.pause()
                self.set_frame(span.last)
                return
            # A loop's last frame repeats its first: it is played without the repeat.
            long = max(span.last - span.first, 1)
            self.rounds += int((position - span.first) // long)
            position = span.first + (position - span.first) % long
            self._played_from = position
            self._began = time.perf_counter()
        frame = int(position)
        if frame != self.frame:
            self.frame = frame
            self.moved.emit()

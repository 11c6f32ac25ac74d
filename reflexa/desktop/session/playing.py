"""What is selected, where the playhead is, and playing by the wall clock."""

from __future__ import annotations

from reflexa.desktop.session.cards import RESULT_CARD


class Playing:
    """Part of the session: what is selected, where the playhead is, and playing by the wall clock."""

    def open_take(self, name: str) -> None:
        if self.project.take(name) is None or name == self.take_name:
            return
        self.pause()
        self.show_rest(False)
        self.solo = -1
        self.take_name = name
        self.card = self.tap = RESULT_CARD
        self.joint, self.prop, self.keys = "", "", set()
        self.evaluation = self.preview = None
        self.problems = {}
        self.frame = 0
        self.take_changed.emit()
        self.selection_changed.emit()
        self.evaluate()

    def select_card(self, card: int) -> None:
        if card != self.card:
            self.card = card
            self.painting = False
            self.keys = set()
            self.selection_changed.emit()

    def set_tap(self, card: int) -> None:
        if card != self.tap:
            self.tap = card
            self.preview = None
            self.view_changed.emit()

    def select_joint(self, name: str) -> None:
        if self.pairing and name and name != self.pairing:
            first, self.pairing = self.pairing, ""
            self.pair(first, name)
            self.joint = first
            self.selection_changed.emit()
        elif name != self.joint or (name and self.prop):
            self.joint = name
            self.prop = ""
            self.selection_changed.emit()

    def select_keys(self, keys: set[tuple[str, int]]) -> None:
        if keys != self.keys:
            self.keys = keys
            self.selection_changed.emit()

    def set_frame(self, frame: int) -> None:
        """Move the playhead; playing goes on from there."""
        frame = max(0, min(int(frame), self.frames - 1))
        if self.playing:
            self._played_from = frame
            self._clock.restart()
        if frame != self.frame:
            self.frame = frame
            self.preview = None
            self.playhead_changed.emit()

    def play(self) -> None:
        if self.result is None or self.frames < 2:
            return
        self.show_rest(False)
        first, last = self.range
        if not first <= self.frame < last:
            self.set_frame(first)
        self.rounds = 0
        self.playing = True
        self._played_from = float(self.frame)
        self._clock.start()
        self._ticker.start()
        self.playing_changed.emit()

    def pause(self) -> None:
        if self.playing:
            self.playing = False
            self.rounds = 0
            self._ticker.stop()
            self.playing_changed.emit()

    def toggle_play(self) -> None:
        (self.pause if self.playing else self.play)()

    def _tick(self) -> None:
        clip = self.result
        if clip is None:
            return
        first, last = self.range
        # By the wall clock: frames are dropped rather than time stretched.
        position = self._played_from + self._clock.nsecsElapsed() / 1e9 * clip.rate * clip.play_rate
        if position >= last:
            if not self.looping:
                self.pause()
                self.frame = last
                self.playhead_changed.emit()
                return
            # A loop's last frame repeats its first: it is played without the repeat.
            self.rounds += int((position - first) // max(last - first, 1))
            position = first + (position - first) % max(last - first, 1)
            self._played_from = position
            self._clock.restart()
        frame = int(position)
        if frame != self.frame:
            self.frame = frame
            self.preview = None
            self.playhead_changed.emit()

    def show_rest(self, on: bool) -> None:
        """Show the rest pose in the picture instead of the clip."""
        if on != self.rest_shown:
            self.rest_shown = on
            self.pause()
            self.view_changed.emit()

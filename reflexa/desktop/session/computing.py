"""Computes the open take off the interface thread; the newest request wins, and what takes long is told and can be stopped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QRunnable, QThreadPool

from reflexa.checks import Finding
from reflexa.checks import findings as check
from reflexa.errors import RecipeError, ReflexaError
from reflexa.steps import KINDS, Step
from reflexa.steps.apply import apply
from reflexa.take import Cancelled, Evaluation, Take, evaluate
from reflexa.take import model as takes


class _Work(QRunnable):
    """Runs a function off the interface thread and hands its result back by signals of the session."""

    def __init__(
        self, run: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None]
    ) -> None:
        super().__init__()
        self._run, self._done, self._failed = run, done, failed

    def run(self) -> None:
        try:
            result = self._run()
        except Cancelled:
            return
        except Exception as e:  # handed over to the interface thread, which shows it
            self._failed(e)
        else:
            self._done(result)


class Computing:
    """Part of the session: computes the open take; the newest request wins."""

    def evaluate(self) -> None:
        """Compute the current take off the interface thread; the newest request wins."""
        self._request += 1
        number = self._request
        take, clip, rig, rigs, clips = self.take, self.source_clip, self.source_rig, self.rigs, self.known_clips()
        if take is None or clip is None or rig is None:
            self.evaluation = None
            self.evaluated.emit()
            return
        self._begin_waiting(take)
        alone = self.solo if self.solo < len(take.steps) else -1
        run_take = takes.alone(take, alone) if alone >= 0 else take

        def stop() -> bool:
            self._at_step += 1  # asked before every step
            return number != self._request

        def run() -> tuple[Evaluation, list[Finding], dict[int, str]]:
            self._at_step = 0
            # A step that cannot be run is no surprise while it is being set up: it is passed over, and says what it needs.
            refused: list[tuple[int, RecipeError]] = []
            out = replace(evaluate(run_take, clip, rig, self._cache, stop, rigs, clips, refused), take=take)
            for c in out.clips:
                if number != self._request:
                    raise Cancelled
                _ = c.model
            _ = out.ribbons
            return out, check(out.result, out.rig, take.stage, take.steps), {i: str(e) for i, e in refused}

        def done(made: tuple[Evaluation, list[Finding], dict[int, str]]) -> None:
            if number == self._request:
                self._end_waiting()
                self.evaluation, self.findings, self.problems = made
                self.preview = None
                self.set_frame(min(self.frame, self.frames - 1))
                self.evaluated.emit()

        self._start(self._pool, run, done)

    def _begin_waiting(self, take: Take) -> None:
        self._at_step, self._waits_for = 0, take
        self.computing = ""
        self._waiting.start()

    def _end_waiting(self) -> None:
        self._waiting.stop()
        self.computing = ""

    def _tell_waiting(self) -> None:
        """Said again and again while a computation takes longer than one notices."""
        steps = [s.name for s in self._waits_for.steps if s.on] if self._waits_for is not None else []
        at = self._at_step - 1
        what = f"{steps[at]} ({at + 1} of {len(steps)})" if 0 <= at < len(steps) else "what it came to"
        self.computing = f"Computing {what} · Esc stops"
        self.view_changed.emit()

    def stop_computing(self) -> bool:
        """Give up what is being computed; the picture stays as it was. False where there was nothing to stop."""
        if not self.computing or not self._waiting.isActive():
            return False
        self._request += 1
        self._end_waiting()
        self.said.emit("Stopped. The picture shows what was computed last; any change computes it anew.")
        self.view_changed.emit()
        return True

    def _start(self, pool: QThreadPool, run: Callable[[], Any], done: Callable[[Any], None],
               failed: Callable[[Exception], None] | None = None) -> None:  # fmt: skip
        def hand_over(call: Callable[[], None]) -> None:
            self._handed_over.emit(call)

        fail = failed or self._say_failed
        pool.start(_Work(run, lambda r: hand_over(lambda: done(r)), lambda e: hand_over(lambda: fail(e))))

    def compute(self, run: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Run something off the interface thread and hand over its result; a step's refusal is not reported twice."""
        self._start(self._readers, run, done, lambda e: None if isinstance(e, RecipeError) else self._say_failed(e))

    def _say_failed(self, error: Exception) -> None:
        if not isinstance(error, ReflexaError):
            raise error
        self.failed.emit(str(error))

    @property
    def busy(self) -> bool:
        """Is a computation on its way?"""
        return self._pool.activeThreadCount() > 0 or self._readers.activeThreadCount() > 0

    def preview_step(self, step: Step) -> None:
        """Show one frame of a changed step at once, where nothing that follows would change it."""
        rig = self.step_rig
        below = self.below
        if below is None or rig is None or self.take is None or KINDS[step.kind].apply is None:
            return
        later = self.take.steps[self.card + 1 :]
        if self.tap != self.card and any(s.on and s.weight for s in later):
            return
        frame = min(self.frame, below.frames - 1)
        self.preview = apply(step, below.cut(frame, frame), rig, frame)
        self.playhead_changed.emit()

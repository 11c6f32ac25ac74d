"""A recipe over many clips, one after the other, beside the work: it can be held, given up, and gone on with."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from reflexa.batch.over import Came, Over, ThereAlready, run_over
from reflexa.names import Names
from reflexa.session.session import Session
from reflexa.session.signals import Signal
from reflexa.session.work import Job
from reflexa.take import Source, Take
from reflexa.take.sequence import source_of
from reflexa.words import counted

State = Literal["waiting", "at work", "done", "exists already", "failed"]
# States in which nothing is left to be done for a clip.
ENDED: tuple[State, ...] = ("done", "exists already")


@dataclass
class Row:
    """A clip of the batch and what became of it; name: of what comes of it; said: an error in words."""

    source: Source
    name: str
    state: State = "waiting"
    said: str = ""
    came: Came | None = None


class Batch:
    """``changed(row)``: something became of it; ``halted``: nothing is under way any more (held, given up, or all done).

    over(): what is done, asked for when it begins. Takes that were made come into the project when it halts, as one edit.
    """

    def __init__(self, session: Session, sources: Sequence[Source], title: str) -> None:
        self.changed, self.halted = Signal[int](), Signal[()]()
        self.session, self.title = session, title
        names = Names()
        self.rows = [Row(s, names.give(f"{s.clip}, {title}")) for s in sources]
        self.over: Callable[[], Over] | None = None
        self._now: Over | None = None
        self._sources = session.sources
        self._job: Job[Came] | None = None
        self._holding = False
        self._made: list[Take] = []

    @property
    def here(self) -> bool:
        """True if its project is still open."""
        return self.session.sources is self._sources

    @property
    def running(self) -> bool:
        """True while a clip is being processed."""
        return self._job is not None

    @property
    def left(self) -> int:
        """How many clips are still to be done, failed ones too."""
        return sum(r.state not in ENDED for r in self.rows)

    @property
    def seconds_left(self) -> float:
        """How long the rest will take, by what those that are done took; 0 where nobody knows."""
        spent = [r.came.seconds for r in self.rows if r.came is not None]
        waiting = sum(r.state in ("waiting", "at work") for r in self.rows)
        return waiting * sum(spent) / len(spent) if spent else 0.0

    def start(self) -> None:
        """Begin, or go on; what failed is tried again. Raises RecipeError where something is still to be said."""
        if self.running or self.over is None or not self.here:
            return
        self._now = self.over()
        self._holding = False
        for i, row in enumerate(self.rows):
            if row.state == "failed":
                self._set(i, "waiting")
        self._next()

    def hold(self) -> None:
        """Let the clip that is at work be finished, and no other begun."""
        self._holding = True

    def give_up(self) -> None:
        """Stop at once; what is done stays."""
        self._holding = True
        if self._job is not None:
            self._job.cancel()

    def _set(self, i: int, state: State, said: str = "", came: Came | None = None) -> None:
        row = self.rows[i]
        row.state, row.said, row.came = state, said, came
        self.changed.emit(i)

    def _next(self) -> None:
        i = next((i for i, r in enumerate(self.rows) if r.state == "waiting"), -1)
        if i < 0 or self._holding or self._now is None or not self.here:
            self._halt()
            return
        row, over, clips = self.rows[i], self._now, self.session.clips

        def call(job: Job[Came]) -> Came:
            return run_over(over, row.source, source_of(row.source, clips.source), row.name, job.tell)

        def done(came: Came) -> None:
            if came.proof is None:
                self._made.append(came.take)
            self._set(i, "done", came=came)

        def failed(error: Exception) -> None:
            self._set(i, "exists already" if isinstance(error, ThereAlready) else "failed", str(error))

        def ended() -> None:
            self._job = None
            if row.state == "at work":  # it was given up
                self._set(i, "waiting")
            self._next()

        job = Job(call, done)
        job.title, job.failed, job.ended = f"{self.title} over {counted(len(self.rows), 'clip')}", failed, ended
        self._job = self.session.work.start(job)
        self._set(i, "at work")

    def _halt(self) -> None:
        made, self._made = self._made, []
        if made and self.here:
            names = Names(taken=(t.name for t in self.session.project.takes), cased=False)
            new = [replace(take, name=names.give(take.name), folder=self.title) for take in made]
            what = f"{self.title} over {counted(len(new), 'clip')}"
            self.session.edit(what, replace(self.session.project, takes=(*self.session.project.takes, *new)))
        self.halted.emit()

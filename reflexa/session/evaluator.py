"""Computes the open take off the interface thread; the newest request wins, what takes long is told and can be stopped."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from msgspec.structs import replace

from reflexa.checks import Finding, Group, Judged, grouped, judge
from reflexa.checks.judging.blame import NOTHING_FOUND
from reflexa.errors import RecipeError
from reflexa.formats.imported import Imported
from reflexa.motion import kernels
from reflexa.motion.clip import Clip
from reflexa.motion.joining import Seam
from reflexa.rig import Rig
from reflexa.session.loop import Loop
from reflexa.session.signals import Signal
from reflexa.session.work import Job, Work
from reflexa.steps import Step, apply_at, outcome
from reflexa.take import Alone, Evaluation, Surroundings, Take, evaluate, evaluate_alone
from reflexa.take.clips import TAKE, ClipsByName
from reflexa.take.evaluate import context_at
from reflexa.take.sequence import Known, placed

# What takes longer than this is told, milliseconds.
_TOLD_AFTER = 200


@dataclass(frozen=True, eq=False)
class Request:
    """A take, what it is computed from (known: clips of files and their rigs; rig: the take's own), and the step that is shown
    alone beside it (its id, or an empty text). limits: thresholds of findings; file: what its source was read from. judged: False
    where nobody asks for findings yet."""

    take: Take
    known: Known
    rig: Rig
    within: Surroundings
    solo: str = ""
    limits: Mapping[str, float] = field(default_factory=dict)
    file: Imported | None = None
    judged: bool = True


@dataclass(frozen=True, eq=False)
class Judgement:
    """What is found in an evaluated take, with who brought it in, and put together. line None: nothing was looked at yet."""

    line: Evaluation | None = None
    judged: Judged = NOTHING_FOUND
    groups: tuple[Group, ...] = ()

    @property
    def count(self) -> int:
        """How many findings there are that are not accepted."""
        return sum(len(g.findings) for g in self.groups if not g.accepted)


@dataclass(frozen=True, eq=False)
class Compared:
    """Another take's result, to look at."""

    name: str
    clip: Clip
    rig: Rig


@dataclass(frozen=True, eq=False)
class _Report:
    step: Step
    line: Evaluation
    value: Any


_Made = tuple[Evaluation, Alone | None, tuple[Seam, ...]]


class Evaluator:
    """``done``: there is another evaluation (or none). ``found``: findings of it are there.
    ``reported``: there is a report of the selected step. ``waiting``:
    another word about what is under way. ``previewed``: one frame of a changed step is there to be looked at."""

    def __init__(self, work: Work, loop: Loop) -> None:
        self.done, self.found, self.reported = Signal[()](), Signal[()](), Signal[()]()
        self.waiting, self.previewed = Signal[()](), Signal[()]()
        self._work = work
        self.evaluation: Evaluation | None = None
        # One step without the others, where that is what is looked at. Nothing but the picture reads it.
        self.alone: Alone | None = None
        self.judgement = Judgement()
        # Where the segments of the source meet, if it is made of several.
        self.seams: tuple[Seam, ...] = ()
        self.preview: Clip | None = None
        self.other: Compared | None = None
        # The source of a take that is being computed for the first time: there is something to look at while the rest comes.
        self.source: Compared | None = None
        self.computing = ""
        # Why the take as it is could not be computed; what is shown is what came before.
        self.refused = ""
        self._report: _Report | None = None
        self._request: Request | None = None
        self._job: Job[Any] | None = None
        self._at_step = 0
        self._ticker = loop.timer(self.tell_wait, _TOLD_AFTER)

    def request(self, request: Request | None) -> None:
        """Compute a take; None: there is nothing to compute."""
        if self._job is not None:
            self._job.cancel()
        self._end_waiting()
        self._request = request
        if request is None:
            self.forget()
            return
        self._at_step = 0
        self._ticker.start()
        job = Job(lambda job: self._run(request, job), self._done)
        job.failed = self._failed
        job.ended = lambda: self._ended(job)
        job.told = lambda *_: self.waiting.emit()
        self._job = self._work.start(job, "evaluation")

    def _ended(self, job: Job[Any]) -> None:
        if self._job is job:
            self._job = None
            self._end_waiting()

    def forget(self) -> None:
        """Nothing is computed: another take, or none, is open."""
        self.evaluation = self.alone = self.preview = self.source = None
        self.refused = ""
        self.judgement = Judgement()
        self.found.emit()
        self._report = None
        self.done.emit()

    def _run(self, r: Request, job: Job[Any]) -> _Made:
        def stop() -> bool:
            self._at_step += 1  # asked before every step
            return job.cancelled

        seams: tuple[Seam, ...] = ()
        if r.take.source.segments:
            clip, rig, seams = placed(r.take.source.segments, r.known, r.take.source.clip)
        else:
            clip, rig = r.known(r.take.source.file, r.take.source.clip)
        if self.evaluation is None:
            _ = clip.model
            self.source = Compared("Source", clip, rig)
            job.tell()
        line = evaluate(r.take, clip, rig, r.within, stop, lenient=True)
        alone = None
        if r.take.step(r.solo) is not None:
            alone = evaluate_alone(r.take, r.solo, clip, rig, r.within, stop)
        for clip in (*line.clips, *(alone.clips if alone is not None else ())):
            job.tell()
            _ = clip.model
        _ = line.ribbons, line.rig.height
        job.tell()
        return line, alone, seams

    def _failed(self, error: Exception) -> None:
        """Nothing came of it: what was found in the take as it was before is not said of it as it is."""
        self.refused = str(error)
        self.judgement = Judgement()
        self.found.emit()
        if self.evaluation is None:  # who waits for one hears that none comes
            self.done.emit()
        self._work.fail(error)

    def _done(self, made: _Made) -> None:
        self.refused = ""
        self.evaluation, self.alone, self.seams = made
        self.preview = self.source = None
        self.done.emit()
        self._judge(self.evaluation, self._request)

    @property
    def findings(self) -> list[Finding]:
        """What is found in the take as it was computed last."""
        return list(self.judgement.judged.found)

    def _judge(self, line: Evaluation, r: Request | None) -> None:
        """Look for findings, at the source and after every step, behind the picture's back."""
        if r is None or not r.judged:
            return

        def call(job: Job[Judgement]) -> Judgement:
            notes = r.file.notes_on(line.clips[0].name) if r.file is not None else ()
            judged = judge(line, r.limits, notes, lambda: job.cancelled)
            return Judgement(line, judged, grouped(judged.found, line.rig, line.result.rate, line.take.accepted))

        def done(made: Judgement) -> None:
            self.judgement = made
            self.found.emit()

        self._work.start(Job(call, done), "findings")

    # Waiting ------------------------------------------------------------------------------------------------

    def _end_waiting(self) -> None:
        self._ticker.stop()
        if self.computing:
            self.computing = ""
            self.waiting.emit()

    def tell_wait(self) -> None:
        """Said again and again while a computation takes longer than one notices."""
        steps = [s.name for s in self._request.take.steps] if self._request is not None else []
        at = self._at_step - 1
        what = f"{steps[at]} ({at + 1} of {len(steps)})" if 0 <= at < len(steps) else "the result"
        compiled = kernels.compiled_so_far()
        if compiled is not None:  # the first start of all: every later one finds them on the disk
            self.computing = f"Compiling the motion loops, once: {compiled[0]} of {compiled[1]}"
        else:
            self.computing = f"Computing {what} · Esc stops"
        self.waiting.emit()

    def stop(self) -> bool:
        """Give up what is being computed; the picture stays as it was. False where there was nothing to stop."""
        if not self.computing or self._job is None:
            return False
        self._job.cancel()
        self._end_waiting()
        return True

    # Beside the evaluation ----------------------------------------------------------------------------------

    def report_of(self, step: Step | None) -> Any:
        """What the kind of a step reports of it, as far as it is computed; of the step as it was, while it is changed."""
        return self._report.value if step is not None and self._report and self._report.step.id == step.id else None

    def want_report(self, step: Step | None, within: Surroundings) -> None:
        """Compute the report of a step, off the interface thread, where it is not there yet. That of a step that is off is
        made as if it were on."""
        line = self.evaluation
        if step is None or line is None or line.take.step(step.id) != step or step.id in line.refused:
            return
        if self._report is not None and self._report.line is line and self._report.step == step:
            return

        def call(_: Job[_Report]) -> _Report:
            if step.acts:
                return _Report(step, line, line.outcomes[line.after(step.id)].report)
            given, context = context_at(line, step.id, within)
            on = replace(step, on=True, weight=1.0, envelope=(), mask=None)
            try:
                return _Report(step, line, outcome(on, given, context).report)
            except RecipeError:
                return _Report(step, line, None)

        self._work.start(Job(call, self._reported), "report")

    def _reported(self, report: _Report) -> None:
        self._report = report
        self.reported.emit()

    @property
    def busy(self) -> bool:
        """True while a take is being computed."""
        return self._job is not None

    def preview_step(self, step: Step, below: Clip, rig: Rig, frame: int) -> None:
        """Show one frame of a changed step at once, of a kind for which that is exact."""
        self.preview = apply_at(step, below, rig, frame)
        self.previewed.emit()

    def compare_with(self, name: str, clips: ClipsByName) -> None:
        """Compute another take's result to look at; an empty name: none."""
        self.other = None
        if not name:
            self.done.emit()
            return

        def call(job: Job[Compared | None]) -> Compared | None:
            try:
                clip, rig = clips[f"{TAKE}{name}"]
            except (RecipeError, KeyError):
                return None
            _model = clip.model  # computed here, not where it is painted
            return Compared(name, clip, rig)

        def done(found: Compared | None) -> None:
            self.other = found
            self.done.emit()

        self._work.start(Job(call, done), "compared")

"""What the window shows, in one place: project, current take, selection, playhead, results.

Panels read it and send it edits; they never talk to each other. Projects are values, so undo keeps the values.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import msgspec
from PySide6.QtCore import QElapsedTimer, QObject, QRunnable, QThreadPool, QTimer, Signal

from reflexa.checks import Finding
from reflexa.checks import findings as check
from reflexa.desktop.beginnings import settings_for
from reflexa.errors import RecipeError, ReflexaError
from reflexa.formats import Imported, ReadOptions, read
from reflexa.formats.gltf.read import rest_of
from reflexa.formats.rigfile import RigDocument
from reflexa.motion.clip import Clip
from reflexa.project import store
from reflexa.project.store import Project, SourceFile, free_name
from reflexa.rig import Rig
from reflexa.rig import notes as rig_edits
from reflexa.rig.notes import Notes, notes_of, with_notes
from reflexa.rig.sides import swap_in_text
from reflexa.stage import EMPTY, Prop, Stage
from reflexa.steps import KINDS, Mask, Step, make
from reflexa.steps.apply import apply
from reflexa.steps.correction import CorrectionSettings, Track, pose_key, with_track
from reflexa.take import Cache, Cancelled, Evaluation, Source, Take, evaluate
from reflexa.take import model as takes
from reflexa.take.known import TAKE, KnownClips

SOURCE_CARD, RESULT_CARD = -1, -2


@dataclass(frozen=True)
class _Past:
    label: str
    project: Project
    take: str
    merge: str


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


class Session(QObject):
    """Signals say what changed; whoever shows it reads it anew."""

    project_changed = Signal()
    take_changed = Signal()
    evaluated = Signal()
    selection_changed = Signal()
    playhead_changed = Signal()
    playing_changed = Signal()
    view_changed = Signal()
    saved_changed = Signal()
    said = Signal(str)
    failed = Signal(str)
    trail_wanted = Signal()
    _handed_over = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.project = Project("Untitled")
        self.folder: Path | None = None
        self.documents: dict[str, Imported] = {}
        self.missing: dict[str, str] = {}
        self._read_as: dict[str, SourceFile] = {}
        self._rigs: dict[str, tuple[Imported, Notes, Rig]] = {}
        self.problems: dict[int, str] = {}
        self.rest_shown = False
        self.pairing = ""
        self.solo = -1
        self.painting = False
        self._other: tuple[object, tuple[Clip, Rig] | None] | None = None
        self.take_name = ""
        self.card = RESULT_CARD
        self.tap = RESULT_CARD
        self.joint = ""
        self.prop = ""
        self.keys: set[tuple[str, int]] = set()
        self.frame = 0
        self.playing = False
        self.looping = True
        self.rounds = 0
        self.evaluation: Evaluation | None = None
        self.findings: list[Finding] = []
        self.preview: Clip | None = None
        self._cache = Cache()
        self._past: list[_Past] = []
        self._future: list[_Past] = []
        self._saved: Project | None = self.project
        self._request = 0
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._readers = QThreadPool(self)
        self._handed_over.connect(lambda call: call())
        # Nobody wants to be told of what takes no time; what takes long is told of, and can be stopped.
        self.computing = ""
        self._at_step = 0
        self._waits_for: Take | None = None
        self._waiting = QTimer(self, interval=200)
        self._waiting.timeout.connect(self._tell_waiting)
        self._clock = QElapsedTimer()
        self._played_from = 0.0
        self._ticker = QTimer(self)
        self._ticker.setInterval(8)
        self._ticker.timeout.connect(self._tick)

    # What is current ---------------------------------------------------------------------------------------

    @property
    def take(self) -> Take | None:
        return self.project.take(self.take_name)

    @property
    def document(self) -> Imported | None:
        take = self.take
        return self.documents.get(take.source.file) if take else None

    def rig_of(self, file: str) -> Rig | None:
        """The rig of a source, with what was said of it in this project."""
        document = self.documents.get(file)
        if document is None:
            return None
        said = self.project.rig_document(document.rig.key)
        if said is None:
            return document.rig
        kept = self._rigs.get(file)
        if kept is None or kept[0] is not document or kept[1] is not said.notes:
            kept = self._rigs[file] = (document, said.notes, with_notes(document.rig, said.notes)[0])
        return kept[2]

    @property
    def rigs(self) -> dict[str, Rig]:
        """Every rig of the project by the file's name: what a step can take a clip to."""
        return {f: rig for f in self.documents if (rig := self.rig_of(f)) is not None}

    @property
    def source_rig(self) -> Rig | None:
        return self.rig_of(self.take.source.file) if self.take else None

    @property
    def rig(self) -> Rig | None:
        """The rig of what the picture shows: that of the clip at the tap."""
        evaluation = self.evaluation
        return self._as_said(evaluation.rigs[self.stage_of(self.tap)]) if evaluation else self.source_rig

    @property
    def step_rig(self) -> Rig | None:
        """The rig that the selected step works on."""
        evaluation = self.evaluation
        if evaluation is None or self.card < 0:
            return self.source_rig
        return self._as_said(evaluation.rigs[max(self.stage_of(self.card) - 1, 0)])

    def _as_said(self, rig: Rig) -> Rig:
        """The rig as it is known now, also while the clips are still being computed anew for it."""
        file = next((f for f, d in self.documents.items() if d.rig.key == rig.key), None)
        return (self.rig_of(file) if file is not None else None) or rig

    def known_clips(self) -> KnownClips:
        """Every clip and take of the project, for a step of the open take to draw on."""
        sources = {
            f: (d.clips or (rest_of(d),), rig) for f, d in self.documents.items() if (rig := self.rig_of(f)) is not None
        }
        return KnownClips(sources, self.project.takes, self._cache).within(self.take_name)

    def other_result(self, name: str) -> tuple[Clip, Rig] | None:
        """Another take's result, to look at; None while it cannot be computed. Kept until the project changes."""
        take = self.project.take(name)
        if take is None:
            return None
        if self._other is None or self._other[0] != (self.project.takes, self.project.rigs, name):
            try:
                found = self.known_clips()[f"{TAKE}{name}"] if name != self.take_name else None
            except (RecipeError, KeyError):
                found = None
            self._other = ((self.project.takes, self.project.rigs, name), found)
        return self._other[1]

    def document_of(self, rig: Rig | None) -> Imported | None:
        """The source whose rig it is."""
        key = rig.key if rig is not None else ""
        own = self.document
        if own is not None and own.rig.key == key:
            return own
        return next((d for d in self.documents.values() if d.rig.key == key), None)

    @property
    def source_clip(self) -> Clip | None:
        take, document = self.take, self.document
        if take is None or document is None:
            return None
        return clip_of(document, take.source.clip)

    @property
    def step(self) -> Step | None:
        take = self.take
        return take.steps[self.card] if take and 0 <= self.card < len(take.steps) else None

    @property
    def correction(self) -> CorrectionSettings | None:
        step = self.step
        return step.settings if step is not None and isinstance(step.settings, CorrectionSettings) else None

    @property
    def problem(self) -> str:
        """What steps need before they can be run, or an empty text; they are passed over until then."""
        steps = self.take.steps if self.take is not None else ()
        return "  ".join(f"{steps[i].name}: {text}" for i, text in self.problems.items() if i < len(steps))

    @property
    def step_problem(self) -> str:
        """What the selected step needs before it can be run, or an empty text."""
        return self.problems.get(self.card, "")

    @property
    def settled(self) -> Evaluation | None:
        """The evaluation, where it is of the take as it stands; None while that is computed."""
        return self.evaluation if self.evaluation is not None and self.evaluation.take == self.take else None

    @property
    def below(self) -> Clip | None:
        """What the selected step is laid on; None where that is still computed."""
        known, take, card = self.evaluation, self.take, self.card
        if known is None or take is None or not 0 <= card < len(known.clips):
            return None
        same = known.take.source == take.source and known.take.steps[:card] == take.steps[:card]
        return known.clips[card] if same else None

    @property
    def below_rig(self) -> Rig | None:
        """The rig that ``below`` is on."""
        known = self.evaluation
        return self._as_said(known.rigs[self.card]) if known is not None and self.below is not None else None

    def begun_correction(self) -> CorrectionSettings | None:
        """The selected correction. In a layer that replaces, a joint without keys begins as it stands below."""
        settings, below = self.correction, self.below
        if settings is None or below is None or settings.how == "add" or settings.track(self.joint).keys:
            return settings
        if self.joint not in below.skeleton.index:
            return settings
        return with_track(settings, Track(self.joint, (pose_key(below, self.joint, self.frame, self.frame),)))

    @property
    def result(self) -> Clip | None:
        return self.evaluation.result if self.evaluation else None

    def stage_of(self, card: int) -> int:
        """Index into ``evaluation.clips`` of what stands after a card."""
        count = len(self.evaluation.clips) if self.evaluation else 1
        return 0 if card == SOURCE_CARD else count - 1 if card == RESULT_CARD else min(card + 1, count - 1)

    @property
    def shown(self) -> Clip | None:
        """The clip at the tap."""
        return self.evaluation.clips[self.stage_of(self.tap)] if self.evaluation else None

    @property
    def frames(self) -> int:
        clip = self.result or self.source_clip
        return clip.frames if clip else 1

    @property
    def range(self) -> tuple[int, int]:
        """First and last frame that are played and exported."""
        take = self.take
        last = self.frames - 1
        if take is None:
            return 0, last
        first = min(take.export.first, last)
        return first, max(first, last if take.export.last is None else min(take.export.last, last))

    # Edits and undo -----------------------------------------------------------------------------------------

    def edit(self, label: str, project: Project, take: str | None = None, merge: str = "") -> None:
        """Go to the next project value. merge: edits in a row with the same word undo together."""
        if project == self.project:
            return
        if not (merge and self._past and self._past[-1].merge == merge):
            self._past.append(_Past(label, self.project, self.take_name, merge))
            del self._past[:-500]
        self._future.clear()
        self._set(project, self.take_name if take is None else take)

    def end_merge(self) -> None:
        """The next edit is undone on its own, whatever its word."""
        if self._past:
            self._past[-1] = replace(self._past[-1], merge="")

    def edit_take(self, label: str, take: Take, merge: str = "") -> None:
        old = self.take
        if old is not None:
            self.edit(label, self.project.with_take(old.name, take), take.name, merge)

    def edit_step(self, label: str, step: Step, merge: str = "", index: int | None = None) -> None:
        take = self.take
        if take is None:
            return
        at = self.card if index is None else index
        old = take.steps[at]
        if old.locked and step.locked:
            self.said.emit(f"{old.name} is locked. Unlock it by a right-click on its card.")
            self.selection_changed.emit()  # whoever was edited shows again what is
            return
        self.edit_take(label, takes.with_step(take, at, step), merge)

    def edit_correction(self, label: str, settings: CorrectionSettings, merge: str = "") -> None:
        if self.step is not None:
            self.edit_step(label, msgspec.structs.replace(self.step, settings=settings), merge)

    # The stage ----------------------------------------------------------------------------------------------

    @property
    def stage(self) -> Stage:
        """The stage of the open take."""
        return self.take.stage if self.take is not None else EMPTY

    def edit_stage(self, label: str, stage: Stage, merge: str = "") -> None:
        if self.take is not None:
            self.edit_take(label, replace(self.take, stage=stage), merge)

    def select_prop(self, name: str) -> None:
        """Select a prop of the stage (an empty text: none); a joint is selected no longer."""
        if name != self.prop:
            self.prop = name
            if name:
                self.joint = ""
            self.selection_changed.emit()

    def put_prop(self, prop: Prop) -> None:
        """Put a prop on the stage, under a name that is free, and select it."""
        prop = msgspec.structs.replace(prop, name=free_name(prop.name, {p.name for p in self.stage.props}))
        self.edit_stage(f"put in {prop.name}", self.stage.with_prop(prop.name, prop))
        self.select_prop(prop.name)

    def edit_prop(self, label: str, prop: Prop, merge: str = "") -> None:
        """Replace the selected prop; goals that go to it follow a new name."""
        take = self.take
        if take is None or self.stage.prop(self.prop) is None:
            return
        if prop.name != self.prop:
            taken = {p.name for p in self.stage.props if p.name != self.prop}
            prop = msgspec.structs.replace(prop, name=free_name(prop.name.strip() or "prop", taken))
        old, self.prop = self.prop, prop.name
        self.edit_take(label, takes.with_prop(take, old, prop), merge)

    def remove_prop(self) -> None:
        if self.stage.prop(self.prop) is not None:
            name, self.prop = self.prop, ""
            self.edit_stage(f"take away {name}", self.stage.without(name))
            self.selection_changed.emit()

    def undo(self) -> None:
        self._travel(self._past, self._future)

    def redo(self) -> None:
        self._travel(self._future, self._past)

    def _travel(self, source: list[_Past], target: list[_Past]) -> None:
        if source:
            past = source.pop()
            target.append(_Past(past.label, self.project, self.take_name, ""))
            self._set(past.project, past.take)

    def undo_label(self) -> str:
        return self._past[-1].label if self._past else ""

    def redo_label(self) -> str:
        return self._future[-1].label if self._future else ""

    def _set(self, project: Project, take_name: str) -> None:
        before = self.take
        listed = (self.project.takes, self.project.sources, self.project.name, self.project.rigs)
        rigs = self.project.rigs
        self.project = project
        if project.take(take_name) is None:
            take_name = project.takes[0].name if project.takes else ""
        switched = take_name != self.take_name
        self.take_name = take_name
        take = self.take
        count = len(take.steps) if take else 0
        if self.card >= count:
            self.card = count - 1 if count else RESULT_CARD
        if self.tap >= count:
            self.tap = RESULT_CARD
        self._prune_keys()
        if self.prop and self.stage.prop(self.prop) is None:
            self.prop = ""
        self._read_anew()
        if listed != (project.takes, project.sources, project.name, project.rigs):
            self.project_changed.emit()
        self.saved_changed.emit()
        if take is not before or switched:
            if before is None or take is None or before.source != take.source:
                self.evaluation = None
                self.preview = None
            self.take_changed.emit()
            self.evaluate()
        elif rigs != project.rigs or (take and any(KINDS[s.kind].draws for s in take.steps)):
            self.evaluate()

    def _prune_keys(self) -> None:
        settings = self.correction
        known = {(t.joint, k.frame) for t in settings.tracks for k in t.keys} if settings else set()
        self.keys &= known

    # Evaluation -------------------------------------------------------------------------------------------

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

    # Selection, playhead, playing ---------------------------------------------------------------------------

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

    # Steps --------------------------------------------------------------------------------------------------

    def add_step(self, kind: str, name: str = "", **settings: Any) -> None:
        """Add a step after the selected card (at the end where none is), and select it. What is not said of its settings
        follows from what is selected and stands before it."""
        take = self.take
        if take is None:
            return
        at = self.card + 1 if self.card >= SOURCE_CARD else len(take.steps)
        name = free_name(name or KINDS[kind].title, {s.name for s in take.steps})
        step = make(kind, name, **{**settings_for(self, kind, at), **settings})
        self.card = at
        self.tap = RESULT_CARD
        self.edit_take(f"add {step.name}", takes.insert_step(take, at, step))
        self.selection_changed.emit()
        self.view_changed.emit()

    def replace_step(self, kind: str, **settings: Any) -> None:
        """Put a step of another kind in the selected one's place."""
        take = self.take
        if take is not None and 0 <= self.card < len(take.steps):
            name = free_name(KINDS[kind].title, {s.name for s in take.steps})
            self.edit_take(f"use {name} instead", takes.with_step(take, self.card, make(kind, name, **settings)))
            self.selection_changed.emit()

    # Masks --------------------------------------------------------------------------------------------------

    def set_painting(self, on: bool) -> None:
        """While on, a click on a joint takes it into the selected step's mask, or out of it."""
        if on != self.painting:
            self.painting = on
            self.selection_changed.emit()
            self.view_changed.emit()

    def mask_weights(self) -> dict[str, float]:
        """Weight of the selected step per joint, without its soft edge: what is painted on."""
        step, rig = self.step, self.step_rig
        if step is None or rig is None:
            return {}
        if step.mask is None:
            return dict.fromkeys(rig.skeleton.names, 1.0)
        plain = msgspec.structs.replace(step.mask, edge=0)
        return dict(zip(rig.skeleton.names, plain.weights(rig).tolist(), strict=True))

    def paint(self, joint: str, below: bool) -> None:
        """Take a joint (or all from it down) into the mask of the selected step, or out of it."""
        step, rig = self.step, self.step_rig
        if step is None or rig is None or joint not in rig.skeleton.index:
            return
        weights = self.mask_weights()
        if step.mask is None:
            weights = dict.fromkeys(weights, 0.0)  # the first stroke says what the step reaches at all
        names = [rig.skeleton.names[j] for j in rig.skeleton.below(rig.skeleton.index[joint])] if below else [joint]
        value = 0.0 if weights[joint] > 0 else 1.0
        self._set_mask("paint the mask", weights | dict.fromkeys(names, value))

    def mirror_mask(self) -> None:
        """The mask on the other side: each joint takes its partner's weight."""
        rig = self.step_rig
        if rig is not None and self.step is not None and self.step.mask is not None:
            weights, names = self.mask_weights(), rig.skeleton.names
            self._set_mask("mirror the mask", {n: weights[names[int(rig.partner[j])]] for j, n in enumerate(names)})

    def _set_mask(self, label: str, weights: dict[str, float]) -> None:
        step = self.step
        assert step is not None
        edge = step.mask.edge if step.mask is not None else 0
        reached = {n: w for n, w in weights.items() if w > 0}
        mask = (
            None if len(reached) == len(weights) and set(reached.values()) == {1.0} else Mask(joints=reached, edge=edge)
        )
        self.edit_step(label, msgspec.structs.replace(step, mask=mask))

    def set_solo(self, index: int) -> None:
        """Show what one step does alone, all others off; -1 shows the take as it is. A way of looking, not an edit."""
        if index != self.solo:
            self.solo = index
            self.take_changed.emit()
            self.evaluate()

    def remove_step(self, index: int) -> None:
        take = self.take
        if take is not None and 0 <= index < len(take.steps):
            self.card = RESULT_CARD if len(take.steps) == 1 else max(0, index - 1)
            self.edit_take(f"remove {take.steps[index].name}", takes.without_step(take, index))
            self.selection_changed.emit()

    def move_step(self, index: int, to: int) -> None:
        take = self.take
        if take is not None and index != to and 0 <= to < len(take.steps):
            self.card = to
            self.edit_take(f"move {take.steps[index].name}", takes.move_step(take, index, to))
            self.selection_changed.emit()

    # Project ------------------------------------------------------------------------------------------------

    @property
    def unsaved(self) -> bool:
        return self.project != self._saved

    def new_takes(self, sources: list[Source], step: Step, swap_names: bool = False) -> list[str]:
        """One take with one step for each clip, in one go: named as the clip, or as its mirror image; the names made."""
        taken = {t.name for t in self.project.takes}
        made: list[Take] = []
        for source in sources:
            title = swap_in_text(source.clip) if swap_names else source.clip
            name = free_name(title if title != source.clip else f"{source.clip}, {step.name.lower()}", taken)
            taken.add(name)
            made.append(Take(name, source, (step,)))
        if made:
            self.card = self.tap = RESULT_CARD
            self.frame = 0
            label = f"{step.name.lower()} for {len(made)} clip{'s' if len(made) > 1 else ''}"
            self.edit(label, replace(self.project, takes=(*self.project.takes, *made)), made[0].name)
            self.selection_changed.emit()
        return [t.name for t in made]

    def new_take(self, source: Source, name: str = "") -> None:
        """Make a take of a clip and open it."""
        name = free_name(name or source.clip, {t.name for t in self.project.takes})
        take = Take(name, source)
        self.card = self.tap = RESULT_CARD
        self.frame = 0
        self.edit(f"make take {name}", replace(self.project, takes=(*self.project.takes, take)), name)
        self.selection_changed.emit()

    def delete_take(self, name: str) -> None:
        takes_left = tuple(t for t in self.project.takes if t.name != name)
        self.edit(f"delete take {name}", replace(self.project, takes=takes_left))

    def rename_take(self, old: str, new: str) -> None:
        take = self.project.take(old)
        new = new.strip()
        if take is not None and new and new != old:
            new = free_name(new, {t.name for t in self.project.takes if t.name != old})
            current = new if self.take_name == old else self.take_name
            self.edit(f"rename take to {new}", self.project.with_take(old, replace(take, name=new)), current)

    def import_files(self, paths: list[Path], done: Callable[[list[Imported], list[str]], None]) -> None:
        """Copy files into the project and read them, off the interface thread. done: what was read, and errors."""
        folder = self.folder
        assert folder is not None

        def run() -> tuple[list[tuple[str, Imported]], list[str]]:
            found: list[tuple[str, Imported]] = []
            errors: list[str] = []
            for path in paths:
                try:
                    read(path)  # before anything is copied: a damaged file does not get in
                    name = store.add_source(folder, path)
                    found.append((name, read(folder / store.SOURCES / name)))
                except ReflexaError as e:
                    errors.append(str(e))
            return found, errors

        def finish(result: tuple[list[tuple[str, Imported]], list[str]]) -> None:
            found, errors = result
            self.documents |= dict(found)
            self._read_as |= {n: SourceFile(n) for n, _ in found}
            known = {s.file for s in self.project.sources}
            new = tuple(SourceFile(n) for n, _ in dict(found).items() if n not in known)
            if new:
                names = ", ".join(s.file for s in new)
                self.edit(f"import {names}", replace(self.project, sources=(*self.project.sources, *new)))
            done([d for _, d in found], errors)

        self._start(self._readers, run, finish)

    # Rigs ---------------------------------------------------------------------------------------------------

    def edit_rig(self, label: str, rig: Rig, notes: Notes, merge: str = "") -> None:
        """Say something of a rig: it holds for every source of that rig, undoes, and is saved with the project."""
        old = self.project.rig_document(rig.key)
        document = self.document_of(rig)
        name = old.name if old is not None else Path(document.path).stem if document is not None else rig.key
        said = RigDocument(name, rig.key, notes, old.unknown if old is not None else {})
        self.edit(label, self.project.with_rig(said), merge=merge)

    def _edit_notes(self, label: str, change: Callable[[Notes], Notes]) -> None:
        rig = self.rig
        if rig is not None and self.joint in rig.skeleton.index:
            self.edit_rig(label, rig, change(notes_of(rig)))

    def start_pairing(self, joint: str) -> None:
        """The next joint that is picked becomes the partner of this one; an empty text calls it off."""
        self.pairing = joint
        if joint:
            self.said.emit(f"Pick the partner of {joint} in the picture or in the list. Esc calls it off.")
        self.selection_changed.emit()

    def pair(self, a: str, b: str) -> None:
        """Make two joints partners; which is the left one, its place in rest tells."""
        rig = self.rig
        if rig is None or a == b or not {a, b} <= set(rig.skeleton.index):
            return
        placed = rig.neutral.rest_model[1]
        i, j = rig.skeleton.index[a], rig.skeleton.index[b]
        left, right = (a, b) if (placed[i] - placed[j]) @ rig.plane.normal >= 0 else (b, a)
        self.edit_rig(f"pair {left} and {right}", rig, rig_edits.pair(notes_of(rig), left, right))

    def unpair(self) -> None:
        """Take the selected joint out of its pair, or off the centre line."""
        self._edit_notes(f"unpair {self.joint}", lambda n: rig_edits.unpair(n, self.joint))

    def mark_centre(self) -> None:
        """Put the selected joint on the centre line."""
        self._edit_notes(f"{self.joint} on the centre line", lambda n: rig_edits.mark_centre(n, self.joint))

    def take_reference(self, on: bool) -> None:
        """Take the frame at the playhead for the neutral pose of the rig shown, or go back to its rest pose."""
        rig, clip = self.rig, self.shown
        if rig is not None and clip is not None:
            frame = min(self.frame, clip.frames - 1)
            notes = rig_edits.take_reference(notes_of(rig), clip if on else None, frame)
            self.edit_rig("take this frame for neutral" if on else "take the rest pose for neutral", rig, notes)

    def forget_rig(self, rig: Rig) -> None:
        """Back to what was found: everything said of the rig is taken away."""
        self.edit("take the rig as found", self.project.without_rig(rig.key))

    def show_rest(self, on: bool) -> None:
        """Show the rest pose in the picture instead of the clip."""
        if on != self.rest_shown:
            self.rest_shown = on
            self.pause()
            self.view_changed.emit()

    # Sources ------------------------------------------------------------------------------------------------

    def set_facing(self, file: str, facing: str) -> None:
        """Tell which way the figure of a source faces in its file; an empty text takes the guess."""
        sources = tuple(replace(s, facing=facing) if s.file == file else s for s in self.project.sources)
        self.edit(f"set the facing of {file}", replace(self.project, sources=sources))

    def set_unit(self, file: str, unit: float | None) -> None:
        """Tell the unit of a source (metres per unit); None takes the guess."""
        sources = tuple(replace(s, unit=unit) if s.file == file else s for s in self.project.sources)
        self.edit(f"set the unit of {file}", replace(self.project, sources=sources))

    def _read_anew(self) -> None:
        """Read those sources again that the project now wants read otherwise than they were."""
        folder = self.folder
        for entry in self.project.sources:
            if folder is None or entry.file not in self.documents or self._read_as.get(entry.file, entry) == entry:
                continue
            self._read_as[entry.file] = entry

            def run(e: SourceFile = entry) -> Imported:
                return read(folder / store.SOURCES / e.file, ReadOptions(e.unit, e.positions, e.facing))

            def finish(document: Imported, e: SourceFile = entry) -> None:
                self.documents[e.file] = document
                self.evaluation = None
                self.project_changed.emit()
                self.take_changed.emit()
                self.evaluate()

            self._start(self._readers, run, finish)

    def load(self, folder: Path) -> None:
        """Open a project folder. Raises ReadError; sources that are missing or damaged are named and left out."""
        project = store.load(folder)
        documents: dict[str, Imported] = {}
        missing: dict[str, str] = {}
        for source in project.sources:
            try:
                documents[source.file] = read(
                    store.inside(folder, source.file), ReadOptions(source.unit, source.positions, source.facing)
                )
            except ReflexaError as e:
                missing[source.file] = str(e)
        self.adopt(project, folder, documents, missing)

    def adopt(self, project: Project, folder: Path, documents: dict[str, Imported], missing: dict[str, str]) -> None:
        self.pause()
        self.project, self.folder, self._saved = project, folder, project
        self.documents, self.missing = documents, missing
        self._read_as = {s.file: s for s in project.sources}
        self._past, self._future = [], []
        self.card = self.tap = RESULT_CARD
        self.joint, self.prop, self.keys, self.frame = "", "", set(), 0
        self.evaluation = self.preview = None
        self.problems = {}
        self.take_name = project.takes[0].name if project.takes else ""
        for signal in (self.project_changed, self.take_changed, self.selection_changed, self.saved_changed):
            signal.emit()
        self.evaluate()

    def save(self) -> None:
        """Write the project folder. Raises WriteError."""
        assert self.folder is not None
        store.save(self.project, self.folder)
        self._saved = self.project
        self.saved_changed.emit()


def clip_of(document: Imported, name: str) -> Clip | None:
    """A clip of a file by name; the rest pose of a file that has none."""
    found = next((c for c in document.clips if c.name == name), None)
    return found or (rest_of(document) if not document.clips else None)

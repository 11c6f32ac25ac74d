"""What the window shows, in one place: project, current take, selection, playhead, results.

Panels read it and send it edits; they never talk to each other. Projects are values, so undo keeps the values.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import msgspec
from PySide6.QtCore import QElapsedTimer, QObject, QThreadPool, QTimer, Signal

from reflexa.checks import Finding
from reflexa.desktop.session.cards import RESULT_CARD, SOURCE_CARD, clip_of
from reflexa.desktop.session.computing import Computing
from reflexa.desktop.session.files import Files
from reflexa.desktop.session.line import Line
from reflexa.desktop.session.playing import Playing
from reflexa.desktop.session.props import Props
from reflexa.desktop.session.rigs import Rigs
from reflexa.errors import RecipeError
from reflexa.formats import Imported
from reflexa.formats.gltf.read import rest_of
from reflexa.motion.clip import Clip
from reflexa.project.store import Project, SourceFile
from reflexa.rig import Rig
from reflexa.rig.notes import Notes, with_notes
from reflexa.steps import KINDS, Step
from reflexa.steps.correction import CorrectionSettings, Track, pose_key, with_track
from reflexa.take import Cache, Evaluation, Take
from reflexa.take import model as takes
from reflexa.take.known import TAKE, KnownClips


@dataclass(frozen=True)
class _Past:
    label: str
    project: Project
    take: str
    merge: str


class Session(Computing, Playing, Line, Props, Rigs, Files, QObject):
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

"""The session: its parts put together, and what follows from them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from reflexa.desktop.session.evaluator import Evaluator, Request
from reflexa.desktop.session.history import History
from reflexa.desktop.session.places import acting, alike, inside, listed, moment, range_in, same_time
from reflexa.desktop.session.player import Playable, Player
from reflexa.desktop.session.reading import Reader, still_to_read
from reflexa.desktop.session.selection import RESULT, Place, Selection
from reflexa.desktop.session.sources import Sources, opened
from reflexa.desktop.work import Work
from reflexa.errors import RecipeError
from reflexa.formats import Imported
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Head
from reflexa.project.store import Project
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Step, StepKind, kind_of
from reflexa.steps.correction import CorrectionSettings, layer_of
from reflexa.take import Alone, Cache, Evaluation, Surroundings, Take
from reflexa.take.clips import ClipsByName
from reflexa.take.edits import LockedError


class Session(QObject):
    """``project_changed``: takes, sources, rigs, recipes or the name are others. ``take_changed``: the open take is another, or
    another one is open. ``said``, ``failed``: words for a person, the second to be confirmed. ``incoming``: clips on a shelf
    that are wanted in the project, and what is to be done with them then. The parts say the rest."""

    project_changed = Signal()
    take_changed = Signal()
    said, failed = Signal(str), Signal(str)
    trail_wanted, incoming = Signal(), Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.work = Work(self)
        self.history = History(self)
        self.selection = Selection(self)
        self.player = Player(self)
        self.evaluator = Evaluator(self.work, self)
        self.sources = Sources(Path())
        self.reader = Reader(self.work, self)
        self._cache = Cache()
        self.work.failed.connect(self.failed)
        self.history.changed.connect(self._on_edit)
        self.selection.changed.connect(self._on_selected)
        self.selection.looked.connect(self._on_looked)
        self.evaluator.done.connect(self._on_evaluated)
        self.reader.needed.connect(self.read_again)
        self.reader.others.connect(self.project_changed)
        self.player.moved.connect(self._on_moved)
        self._solo = ""
        self._tap = RESULT

    # What is open -------------------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        return self.history.project

    @property
    def folder(self) -> Path:
        return self.sources.folder

    @property
    def take(self) -> Take | None:
        """The open take."""
        return self.project.take(self.selection.take)

    @property
    def document(self) -> Imported | None:
        """The file of the open take's source."""
        return self.sources.documents.get(self.take.source.file) if self.take else None

    @property
    def source_head(self) -> Head | None:
        """What is known of the open take's source without decoding it."""
        take, document, line = self.take, self.document, self.evaluation
        if take is None or document is None:
            return None
        if take.source.segments:  # several in a row: as they were put together last
            return Head.of(line.clips[0]) if line is not None and alike(line.take.source, take.source) else None
        return document.head(take.source.clip)

    @property
    def source_rig(self) -> Rig | None:
        return self.sources.rig_of(self.take.source.file, self.project) if self.take else None

    @property
    def step(self) -> Step | None:
        """The selected step, with its frames where it acts; None while another card is selected."""
        return acting(self.evaluation, self.take.step(self.selection.card)) if self.take else None

    @property
    def kind(self) -> StepKind | None:
        """The kind of the selected step."""
        return kind_of(self.step.kind) if self.step else None

    @property
    def layer(self) -> CorrectionSettings | None:
        """The keys of the selected step, where it is a layer of keys."""
        return layer_of(self.step)

    @property
    def index(self) -> int:
        """The place of the selected step on the line, or -1."""
        return self.take.index(self.selection.card) if self.take else -1

    @property
    def stage(self) -> Stage:
        """The stage of the open take."""
        return self.take.stage if self.take is not None else EMPTY

    @property
    def rigs(self) -> dict[str, Rig]:
        """Every rig of the project by the file's name."""
        return dict(self.sources.rigs(self.project))

    @property
    def clips(self) -> ClipsByName:
        """Every clip and take of the project, for a step of the open take to draw on."""
        sources = {f: (self.sources.documents[f].or_rest, rig) for f, rig in self.rigs.items()}
        return ClipsByName(sources, self.project.takes, self._cache).within(self.selection.take)

    @property
    def within(self) -> Surroundings:
        """What the open take may draw on."""
        return self.clips.surroundings

    # What came of it ----------------------------------------------------------------------------------------

    @property
    def evaluation(self) -> Evaluation | None:
        """The open take as it was computed last, whole, whatever is shown of it."""
        return self.evaluator.evaluation

    @property
    def settled(self) -> Evaluation | None:
        """The evaluation, where it is of the take as it stands; None while that is computed."""
        line = self.evaluation
        return line if line is not None and line.take == self.take else None

    @property
    def looked_at(self) -> Evaluation | Alone | None:
        """What the picture is made of: the evaluation, or one step of it alone."""
        alone = self.evaluator.alone
        return alone if alone is not None and self.selection.solo == alone.step else self.evaluation

    @property
    def result(self) -> Clip | None:
        return self.evaluation.result if self.evaluation else None

    @property
    def shown(self) -> Clip | None:
        """The clip at the tap."""
        line = self.looked_at
        return line.clips[line.after(self.selection.tap)] if line else None

    @property
    def rig(self) -> Rig | None:
        """The rig of what the picture shows: that of the clip at the tap."""
        line = self.looked_at
        return self.as_said(line.rigs[line.after(self.selection.tap)]) if line else self.source_rig

    @property
    def step_rig(self) -> Rig | None:
        """The rig that the selected step works on."""
        line = self.evaluation
        if line is None or self.step is None:
            return self.source_rig
        at = line.take.index(self.selection.card)
        return self.as_said(line.rigs[max(at, 0)] if at >= 0 else line.rig)

    def as_said(self, rig: Rig) -> Rig:
        """The rig as it is known now, also while the clips are still being computed anew for it."""
        return self.sources.as_said(rig, self.project)

    @property
    def below(self) -> Clip | None:
        """What the selected step is laid on; None where that is still computed."""
        line, take, at = self.evaluation, self.take, self.index
        if line is None or take is None or not 0 <= at < len(line.clips):
            return None
        same = line.take.source == take.source and line.take.steps[:at] == take.steps[:at]
        return line.clips[at] if same else None

    @property
    def below_rig(self) -> Rig | None:
        """The rig that ``below`` is on."""
        line = self.evaluation
        return self.as_said(line.rigs[self.index]) if line is not None and self.below is not None else None

    @property
    def after_step(self) -> Clip | None:
        """What stands after the selected step, as computed last."""
        line = self.evaluation
        at = line.take.index(self.selection.card) if line is not None else -1
        return line.clips[at + 1] if line is not None and at >= 0 else None

    @property
    def report(self) -> Any:
        """What the selected step's kind reports of it, as far as it is computed."""
        return self.evaluator.report_of(self.step)

    @property
    def problem(self) -> str:
        """What steps need before they can be run, or an empty text; they are passed over until then."""
        steps = self.take.steps if self.take is not None else ()
        return "  ".join(f"{s.name}: {said}" for s in steps if (said := self.problem_of(s.id)))

    def problem_of(self, step_id: str) -> str:
        """What a step needs before it can be run, or an empty text."""
        line = self.evaluation
        return str(line.refused[step_id]) if line is not None and step_id in line.refused else ""

    @property
    def step_problem(self) -> str:
        """What the selected step needs before it can be run, or an empty text."""
        return self.problem_of(self.selection.card)

    @property
    def frames(self) -> int:
        """How many frames the clip has that is looked at: a step may have made them more or fewer."""
        return clip.frames if (clip := self.shown or self.source_head) else 1

    @property
    def by_result(self) -> bool:
        """Has what is looked at the time of the result? Else a step behind it changes time."""
        return same_time(self.evaluation, self.selection.tap, RESULT)

    @property
    def range(self) -> tuple[int, int]:
        """First and last frame that are played and exported."""
        return range_in(self.take if self.by_result else None, self.frames)

    # Edits --------------------------------------------------------------------------------------------------

    def edit(self, label: str, project: Project, merge: str = "", place: Place | None = None) -> bool:
        """Go to the next project value. merge: edits in a row with the same word undo together. place: where to look then.
        False where it may not be done; then why was said."""
        now = self.selection.place
        try:
            self.history.edit(label, project, now, now if place is None else place, merge)
        except (LockedError, RecipeError) as e:
            self.said.emit(str(e))
            self.selection.changed.emit()  # whoever was edited shows again what is
            return False
        return True

    def edit_take(self, label: str, take: Take, merge: str = "", card: str | None = None) -> bool:
        """The next value of the open take. card: the one that is selected then."""
        old, place = self.take, self.selection.place
        if old is None:
            return False
        place = replace(place, take=take.name)
        if card is not None and card != place.card:
            place = replace(place, card=card, keys=frozenset())
        return self.edit(label, self.project.with_take(old.name, take), merge, place)

    def undo(self) -> None:
        self.history.undo(self.selection.place)

    def redo(self) -> None:
        self.history.redo(self.selection.place)

    def _on_edit(self, before: Project, place: Place) -> None:
        now, old_take = self.project, before.take(self.selection.take)
        if now.take(place.take) is None:
            place = Place(now.takes[0].name if now.takes else "")
        take = now.take(place.take)
        if take is not None:
            place = inside(place, take)
        if self.selection.solo and (take is None or take.step(self.selection.solo) is None):
            self.selection.solo = ""
        switched = place.take != self.selection.take and (take is None or old_take is None or take != old_take)
        if take is None or old_take is None or not alike(take.source, old_take.source):
            self._forget()
        self.selection.go(place)
        self.reader.read(self.sources, now, take)
        if listed(before) != listed(now):
            self.project_changed.emit()
        if take is not old_take or switched:
            self._fit()
            self.take_changed.emit()
        self.evaluate()

    # Opening, saving ----------------------------------------------------------------------------------------

    def load(self, folder: Path, placed: bool = True) -> None:
        """Open a project folder. Raises ReadError; sources that are missing or damaged are named and left out."""
        self.adopt(*opened(folder, placed))

    def adopt(self, project: Project, sources: Sources) -> None:
        """Another project is open; what is under way for the one before comes to nothing."""
        self.player.pause()
        self.work.cancel_all()
        self.sources = sources
        self.history.open(project)
        self.selection.rest_shown, self.selection.waiting, self.selection.solo = False, None, ""
        self.player.frame = 0
        self._forget()
        self.selection.go(Place(project.takes[0].name if project.takes else ""))
        self.reader.read(self.sources, project, self.take)
        self.project_changed.emit()
        self.take_changed.emit()
        self.history.saved_changed.emit()
        self.evaluate()

    def open_take(self, name: str) -> None:
        """Show another take of the project."""
        if self.project.take(name) is None or name == self.selection.take:
            return
        self.player.pause()
        self.selection.show_rest(False)
        self.selection.solo = ""
        self._forget()
        self.player.frame = 0
        self.selection.go(Place(name))
        self.reader.read(self.sources, self.project, self.take)
        self.take_changed.emit()
        self.evaluate()

    # Computing ----------------------------------------------------------------------------------------------

    def evaluate(self) -> None:
        """Compute the open take; the newest request wins."""
        take, rig, clips, self._solo = self.take, self.source_rig, self.clips, self.selection.solo
        if take is None or rig is None or (not take.source.segments and self.source_head is None) or self.being_read:
            self.evaluator.request(None)
        else:
            told = self._solo, self.project.limits, self.document
            self.evaluator.request(Request(take, clips.source, rig, clips.surroundings, *told))

    @property
    def being_read(self) -> str:
        """A file that the open take needs and that is still to be read; empty: all is there."""
        return still_to_read(self.sources, self.project, self.take)

    def _forget(self) -> None:
        if self.evaluation is not None:
            self.evaluator.request(None)

    def read_again(self) -> None:
        """A source was read otherwise than before, or is there again."""
        self._forget()
        self.project_changed.emit()
        self.take_changed.emit()
        self.evaluate()

    def _on_evaluated(self) -> None:
        self._look_in_its_time()
        self._fit()
        self._want_report()

    def _fit(self) -> None:
        """Tell the player what there is to be played."""
        first, last = self.range
        rate = seen.rate * seen.play_rate if (seen := self.shown or self.result) is not None else 30.0
        self.player.fit(Playable(self.frames, first, last, rate, self.result is not None))

    def _want_report(self) -> None:
        step = self.take.step(self.selection.card) if self.take else None
        self.evaluator.want_report(step, self.within if step is not None else Surroundings())

    def _on_selected(self) -> None:
        self._look_in_its_time()
        self._want_report()

    def _look_in_its_time(self) -> None:
        """What is worked on is looked at in its own time: a card on the other side of a step that changes time is shown."""
        if not same_time(self.evaluation, self.selection.card, self.selection.tap):
            self.selection.set_tap(self.selection.card)

    def _on_looked(self) -> None:
        self._keep_moment()
        if self.selection.rest_shown:
            self.player.pause()
        self.evaluator.preview = None
        if self.selection.solo != self._solo:
            self.evaluate()

    def _keep_moment(self) -> None:
        """The playhead keeps its moment where what is looked at has another time."""
        before, self._tap = self._tap, self.selection.tap
        if not same_time(self.evaluation, before, self._tap):
            self.player.frame = moment(self.evaluation, self.player.frame, before, self._tap)
            self._fit()
            self.player.moved.emit()

    def _on_moved(self) -> None:
        self.evaluator.preview = None

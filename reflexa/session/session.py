"""The session: its parts put together, and what follows from them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from reflexa.errors import RecipeError
from reflexa.project.store import Project
from reflexa.session.computed import Computed
from reflexa.session.evaluator import Evaluator, Request
from reflexa.session.history import History
from reflexa.session.loop import Loop
from reflexa.session.opened import Opened
from reflexa.session.places import alike, inside, listed, moment, only_step_changed, same_time
from reflexa.session.player import Playable, Player
from reflexa.session.reading import Reader
from reflexa.session.selection import RESULT, Place, Selection
from reflexa.session.signals import Signal
from reflexa.session.sources import Sources, opened
from reflexa.session.work import Work
from reflexa.steps import kind_of
from reflexa.take import Source, Surroundings, Take
from reflexa.take.edits import LockedError

# Clips in a library folder that are wanted in the project, and what is to be done with them then.
Incoming = Signal[list[tuple[Path, str]], Callable[[list[Source]], object]]

# Edits in a row come to their end when none follows for so many milliseconds.
_PAUSE = 150


class Session(Opened):
    """What is open (read here), what is ``computed`` of it, and how it is edited. It knows no toolkit: whoever shows it gives the
    loop that it lives in and listens to its signals. ``project_changed``: takes, sources, rigs, recipes or the name are others.
    ``take_changed``: the open take is another, or another one is open. ``said``, ``failed``: words for a person, the second to be
    confirmed. ``trail_wanted``: the motion trail shall be shown. The parts say the rest."""

    def __init__(self, loop: Loop) -> None:
        self.loop = loop
        self.project_changed, self.take_changed, self.trail_wanted = Signal[()](), Signal[()](), Signal[()]()
        self.said, self.failed = Signal[str](), Signal[str]()
        self.incoming = Incoming()
        self.work = Work(self.loop)
        self.player = Player(self.loop)
        super().__init__(History(), Selection(), Evaluator(self.work, self.loop))
        self.computed = Computed(self, self.evaluator)
        self.reader = Reader(self.work)
        self.work.failed.connect(self.failed.emit)
        self.history.changed.connect(self._on_edit)
        self.selection.changed.connect(self._on_selected)
        self.selection.looked.connect(self._on_looked)
        self.evaluator.done.connect(self._on_evaluated)
        self.reader.needed.connect(self.read_again)
        self.reader.others.connect(self.project_changed.emit)
        self.player.moved.connect(self._on_moved)
        self.history.let_go.connect(self._on_let_go)
        self._pause = self.loop.timer(self._on_let_go, _PAUSE, once=True)
        self._solo, self._dragging, self._shows_pose = "", False, False
        self._view_point = RESULT

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

    def go_to(self, edits: int) -> None:
        """Back or forth to where so many edits of the history are done."""
        self.history.go_to(edits, self.selection.place)

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
        self._follow(old_take)

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

    @property
    def dragging(self) -> bool:
        """True while edits follow one another: one pose is shown at once, the whole take and its findings follow at a pause."""
        return self._dragging

    def _follow(self, before: Take | None) -> None:
        """Have the picture follow an edit of the open take as it was before, and all else where the hand pauses."""
        if not self.history.goes_on:
            self.evaluate()
            return
        self._dragging = True
        self._pause.start()
        self._shows_pose = only_step_changed(before, self.take, self.selection.card) and self._preview()
        if not self._shows_pose and not self.evaluator.busy:
            self.evaluate(judged=False)

    def _preview(self) -> bool:
        """Show the pose of the selected step at once, where its kind can and nothing that follows would change it."""
        step, below, rig, take = self.step, self.computed.below, self.computed.step_rig, self.take
        if step is None or below is None or rig is None or take is None or not kind_of(step.kind).single_pose:
            return False
        if self.selection.view_point != step.id and any(s.acts for s in take.steps[self.index + 1 :]):
            return False
        self.evaluator.preview_step(step, below, rig, min(self.player.frame, below.frames - 1))
        return True

    def _on_let_go(self) -> None:
        if self._dragging:
            self.evaluate()

    def evaluate(self, judged: bool = True) -> None:
        """Compute the open take; the newest request wins. judged: look for findings as well; else it goes on to be dragged."""
        self._dragging = self._dragging and not judged
        take, rig, clips, self._solo = self.take, self.source_rig, self.clips, self.selection.solo
        if take is None or rig is None or (not take.source.segments and self.source_head is None) or self.being_read:
            self.evaluator.request(None)
        else:
            told = self._solo, self.project.limits, self.document, judged
            self.evaluator.request(Request(take, clips.source, rig, clips.surroundings, *told))

    def _forget(self) -> None:
        if self.computed.evaluation is not None:
            self.evaluator.request(None)

    def read_again(self) -> None:
        """A source was read otherwise than before, or is there again."""
        self._forget()
        self.project_changed.emit()
        self.take_changed.emit()
        self.evaluate()

    def _on_evaluated(self) -> None:
        if self.dragging and self.computed.settled is None and not (self._shows_pose and self._preview()):
            self.evaluate(judged=False)
        self._look_in_its_time()
        self._fit()
        self._want_report()

    def _fit(self) -> None:
        """Tell the player what there is to be played."""
        first, last = self.computed.range
        rate = seen.rate * seen.play_rate if (seen := self.computed.shown or self.computed.result) is not None else 30.0
        self.player.fit(Playable(self.computed.frames, first, last, rate, self.computed.result is not None))

    def _want_report(self) -> None:
        step = self.take.step(self.selection.card) if self.take else None
        self.evaluator.want_report(step, self.within if step is not None else Surroundings())

    def _on_selected(self) -> None:
        self._look_in_its_time()
        self._want_report()

    def _look_in_its_time(self) -> None:
        """What is worked on is looked at in its own time: a card on the other side of a step that changes time is shown."""
        if not same_time(self.computed.evaluation, self.selection.card, self.selection.view_point):
            self.selection.set_view_point(self.selection.card)

    def _on_looked(self) -> None:
        self._keep_moment()
        if self.selection.rest_shown:
            self.player.pause()
        self.evaluator.preview = None
        if self.selection.solo != self._solo:
            self.evaluate()

    def _keep_moment(self) -> None:
        """The playhead keeps its moment where what is looked at has another time."""
        before, self._view_point = self._view_point, self.selection.view_point
        if not same_time(self.computed.evaluation, before, self._view_point):
            self.player.frame = moment(self.computed.evaluation, self.player.frame, before, self._view_point)
            self._fit()
            self.player.moved.emit()

    def _on_moved(self) -> None:
        self.evaluator.preview = None

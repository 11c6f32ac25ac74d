"""Small pictures of clips and takes: drawn one at a time while nothing else is to do, those of takes from their results."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

from PySide6.QtCore import QObject, QSize, QTimer, Signal
from PySide6.QtGui import QImage

from reflexa.desktop.look import theme
from reflexa.desktop.picture import pictures
from reflexa.errors import RecipeError
from reflexa.formats import Imported
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import Session
from reflexa.session.work import Job
from reflexa.take import Source, Take
from reflexa.take.clips import TAKE

PICTURE = QSize(42, 36)
# Pictures of one clip, while it plays.
_MOST = 600
# Milliseconds left to everything else before the next one is drawn.
_BETWEEN = 25
# Milliseconds until it is asked again whether the open take is computed.
_FIRST = 100


@dataclass(frozen=True)
class Thing:
    """What there is a picture of: a take (by its name), or a clip (by its source). missing: a source that is gone instead, by
    its file. folder: of the take; without one the heading of the folder."""

    take: str = ""
    source: Source | None = None
    missing: str = ""
    folder: str = ""

    @property
    def heading(self) -> bool:
        """True for the heading of a folder."""
        return bool(self.folder) and not self.take


class Previews(QObject):
    """``drawn``: a thing has another picture (None: all have)."""

    drawn = Signal(object)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.playing: Thing | None = None
        self._frame = 0.0
        # By clip and then by frame and theme; they go with the clip that they are of.
        self._pictures: WeakKeyDictionary[Clip, dict[tuple[int, str], QImage]] = WeakKeyDictionary()
        self._wanted: list[Thing] = []
        # Results of takes as they were when they were computed, and those that are being computed.
        self._results: dict[str, tuple[Take, Rig, Clip] | None] = {}
        self._under_way: set[str] = set()
        self._idle = QTimer(self, singleShot=True, interval=_BETWEEN)
        self._idle.timeout.connect(self._draw_next)
        # What is open is computed first: pictures of the rest wait for it.
        self._later = QTimer(self, singleShot=True, interval=_FIRST)
        self._later.timeout.connect(lambda: self.drawn.emit(None))
        self._player = QTimer(self)
        self._player.setInterval(66)
        self._player.timeout.connect(self._play)

    @property
    def due(self) -> int:
        """How many pictures are in line to be drawn."""
        return len(self._wanted)

    def forget(self) -> None:
        """Draw everything anew."""
        self._pictures.clear()
        self._results.clear()
        self.drawn.emit(None)

    def play(self, thing: Thing | None) -> None:
        """Let one of the pictures move; None: none."""
        if thing != self.playing:
            before, self.playing, self._frame = self.playing, thing, 0.0
            if before is not None:
                self.drawn.emit(before)
            if thing is None:
                self._player.stop()
            else:
                self._player.start()

    def image(self, thing: Thing) -> QImage | None:
        """The picture as far as it is drawn already; else it is put in line to be drawn."""
        found = self._clip(thing)
        if found is None:
            return None
        rig, clip = found
        moving = thing == self.playing
        frame = int(self._frame) % clip.frames if moving else clip.frames // 3
        known, key = self._pictures.setdefault(clip, {}), (frame, theme.current().name)
        if key not in known and moving:
            self._draw(rig, clip, frame)
        if key not in known and thing not in self._wanted:
            self._wanted.append(thing)
            self._idle.start()
        return known.get(key)

    def _draw_next(self) -> None:
        if self._wanted:
            thing = self._wanted.pop(0)
            found = self._clip(thing)
            if found is not None:
                rig, clip = found
                self._draw(rig, clip, clip.frames // 3)
                self.drawn.emit(thing)
        if self._wanted:
            self._idle.start()

    def _draw(self, rig: Rig, clip: Clip, frame: int) -> None:
        known = self._pictures.setdefault(clip, {})
        if len(known) > _MOST:
            known.clear()
        w, h = PICTURE.width() * 2, (PICTURE.height() - 2) * 2
        known[frame, theme.current().name] = pictures.preview(rig, clip.cut(frame, frame), w, h)

    def _play(self) -> None:
        found = self._clip(self.playing) if self.playing is not None else None
        if found is not None:
            clip = found[1]
            self._frame = (self._frame + clip.rate * self._player.interval() / 1000) % max(clip.frames - 1, 1)
            self.drawn.emit(self.playing)

    def _clip(self, thing: Thing) -> tuple[Rig, Clip] | None:
        """The clip of a take or source, and its rig. Of a take that is not computed yet, its source for the while."""
        session = self.session
        take = session.project.take(thing.take)
        source = take.source if take is not None else thing.source
        document = session.sources.documents.get(source.file) if source is not None else None
        if source is not None and source.segments:  # several in a row: the first of them for the while
            source = Source(source.segments[0].file, source.segments[0].clip)
        if document is None or source is None:
            return None
        clip = document.or_rest.decoded(source.clip) if document.clips else document.clip(source.clip)
        if take is not None:
            line = session.computed.evaluation
            if line is not None and line.take is take:
                return line.rig, line.result
            kept = self._results.get(take.name)
            if kept is not None and kept[0] is take:
                return kept[1], kept[2]
            if (take.steps or take.source.segments) and take.name != session.selection.take:
                self._compute(take)
        if clip is None:
            self._decode(thing, document, source.clip)
        return None if clip is None else (document.rig, clip)

    def _decode(self, thing: Thing, document: Imported, name: str) -> None:
        """Decode a source's clip off the interface thread; it is asked for again then."""
        known = f"{document.path} {name}"
        if known in self._under_way or name not in document.clips.names:
            return
        self._under_way.add(known)

        def call(job: Job[None]) -> None:
            job.tell()
            clip = document.clip(name)
            _ = clip.model if clip is not None else None

        job = Job(call, lambda _: self.drawn.emit(thing))
        job.failed = lambda _: None  # it is said where the clip is opened, and tried again at the next look
        job.ended = lambda: self._under_way.discard(known)
        self.session.work.start(job)

    def _compute(self, take: Take) -> None:
        kept = self._results.get(take.name, ())
        if take.name in self._under_way or kept is None:
            return
        if self.session.take is not None and self.session.computed.evaluation is None:
            self._later.start()
            return
        clips, sources = self.session.clips, self.session.sources
        self._under_way.add(take.name)
        there = set(sources.documents)

        def call(job: Job[tuple[Take, Rig, Clip] | None]) -> tuple[Take, Rig, Clip] | None:
            job.tell()
            try:
                clip, rig = clips[f"{TAKE}{take.name}"]
            except (RecipeError, KeyError):
                return None  # set up incompletely: its source stands for it
            _ = clip.model  # computed here, not where it is drawn
            return take, rig, clip

        def done(found: tuple[Take, Rig, Clip] | None) -> None:
            if found is not None or there == set(sources.documents):  # else it may have wanted what has come since
                self._results[take.name] = found
            self.drawn.emit(Thing(take=take.name, folder=take.folder))

        job = Job(call, done)
        job.lands = lambda: self.session.sources is sources
        job.ended = lambda: self._under_way.discard(take.name)
        self.session.work.start(job)

    def project_changed(self) -> None:
        """Takes or sources are others: what could not be computed is tried anew."""
        names = {t.name for t in self.session.project.takes}
        self._results = {n: r for n, r in self._results.items() if n in names and r is not None}

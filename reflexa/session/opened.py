"""What is open: the project, the take, the selected step, and what they may draw on."""

from __future__ import annotations

from pathlib import Path

from reflexa.formats import Imported
from reflexa.motion.clips import Head
from reflexa.project.store import Project
from reflexa.rig import Rig
from reflexa.session.evaluator import Evaluator
from reflexa.session.history import History
from reflexa.session.places import acting, alike
from reflexa.session.reading import still_to_read
from reflexa.session.selection import Selection
from reflexa.session.sources import Sources
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Step, StepKind, kind_of
from reflexa.steps.correction import CorrectionSettings, layer_of
from reflexa.take import Cache, Surroundings, Take
from reflexa.take.clips import ClipsByName


class Opened:
    """Read from the history, the selection and the sources at the moment when it is asked for."""

    def __init__(self, history: History, selection: Selection, evaluator: Evaluator) -> None:
        self.history, self.selection, self.evaluator = history, selection, evaluator
        self.sources = Sources(Path())
        self._cache = Cache()

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
        take, document, line = self.take, self.document, self.evaluator.evaluation
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
        return acting(self.evaluator.evaluation, self.take.step(self.selection.card)) if self.take else None

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

    def as_said(self, rig: Rig) -> Rig:
        """The rig as it is known now, also while the clips are still being computed anew for it."""
        return self.sources.as_said(rig, self.project)

    @property
    def being_read(self) -> str:
        """A file that the open take needs and that is still to be read; empty: all is there."""
        return still_to_read(self.sources, self.project, self.take)

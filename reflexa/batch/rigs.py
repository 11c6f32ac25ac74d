"""Rigs given beside clips: model files to go onto, and rig documents that say what is known of a rig."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from types import MappingProxyType

from reflexa.errors import ReadError, RecipeError
from reflexa.formats import Imported, ReadOptions, read
from reflexa.formats.rigfile import RigDocument, read_rig
from reflexa.motion.clip import Clip
from reflexa.motion.joints import by_names
from reflexa.rig import Rig
from reflexa.rig.notes import rig_of, with_notes
from reflexa.take.clips import ClipsByName


@dataclass(frozen=True, eq=False)
class RigFiles:
    """rigs: by file name, what a step can take a clip to. models: the files among them that can be written into.
    documents: what is said of rigs, applied wherever the skeleton is theirs."""

    rigs: Mapping[str, Rig]
    models: Mapping[str, Imported]
    documents: tuple[RigDocument, ...]

    def known(self, rig: Rig) -> Rig:
        """A rig with what the documents say of it."""
        for d in self.documents:
            if d.key == rig.key:
                rig = with_notes(rig, d.notes)[0]
        return rig


def load(paths: tuple[Path, ...], options: ReadOptions = ReadOptions()) -> RigFiles:
    """Read rigs; once a process for as long as their files stay as they are. Raises ReadError."""
    return _load(paths, tuple(p.stat().st_mtime_ns if p.exists() else 0 for p in paths), options)


@lru_cache(maxsize=8)
def _load(paths: tuple[Path, ...], _written: tuple[int, ...], options: ReadOptions) -> RigFiles:
    documents = tuple((p, read_rig(p)) for p in paths if p.suffix.lower() == ".json")
    told = RigFiles({}, {}, tuple(d for _, d in documents))
    models = {p.name: read(p, options) for p in paths if p.suffix.lower() != ".json"}
    rigs = {name: told.known(model.rig) for name, model in models.items()}
    keys = {r.key for r in rigs.values()}
    for path, d in documents:
        if d.notes.joints and d.key not in keys:
            try:
                rigs[path.name] = rig_of(d.notes)
            except ValueError as e:
                raise ReadError(str(e), path, "joints") from None
    return replace(told, rigs=MappingProxyType(rigs), models=MappingProxyType(models))


@lru_cache(maxsize=4)
def _clips(paths: tuple[Path, ...], _written: tuple[int, ...], rigs: tuple[Path, ...]) -> ClipsByName:
    given = load(rigs)
    documents = {p.name: read(p) for p in paths}
    return ClipsByName({n: (d.clips, given.known(d.rig)) for n, d in documents.items()})


def clips_of(paths: tuple[Path, ...], rigs: tuple[Path, ...] = ()) -> ClipsByName:
    """The clips of files by name (FILE/CLIP), for steps that draw on them. Raises ReadError."""
    return _clips(paths, tuple(p.stat().st_mtime_ns if p.exists() else 0 for p in paths), rigs)


def model_of(rig: Rig, given: RigFiles) -> Imported | None:
    """The model file that a rig came from, where it is one of those given."""
    return next((given.models[n] for n, r in given.rigs.items() if r is rig and n in given.models), None)


def onto_given_rig(clip: Clip, rig: Rig, given: RigFiles) -> tuple[Clip, Rig]:
    """The clip for the one rig given, where no step took it there: joints by name, in that rig's order.

    Raises RecipeError where the rig lacks joints of the clip. Several rigs, or none, or one of the very same
    skeleton that is no model: nothing is done.
    """
    if len(given.rigs) != 1:
        return clip, rig
    name, target = next(iter(given.rigs.items()))
    if target.key == rig.key and name not in given.models:
        return clip, rig
    gone = [n for n in clip.skeleton.names if n not in target.skeleton.index]
    if gone:
        raise RecipeError(
            f"{name} has no joint {', '.join(gone[:6])}{' …' if len(gone) > 6 else ''}",
            place="--rig", advice="Add --step retarget to transfer the motion, or --step rename if only names differ.",
        )  # fmt: skip
    return by_names(clip, target.skeleton), target

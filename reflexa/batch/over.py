"""A recipe over clips of a project: of each a take, or a file, with what was found before and after."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from msgspec.structs import replace as with_fields

from reflexa.checks import Subject, look
from reflexa.errors import RecipeError, ReflexaError
from reflexa.formats import FORMATS, STANDARD, Imported
from reflexa.motion.clip import Clip
from reflexa.output.manifest import manifest_of
from reflexa.output.naming import file_names
from reflexa.output.takes import Into, export_take
from reflexa.output.write import Proof
from reflexa.progress import Progress, quiet
from reflexa.rig import Rig
from reflexa.steps import Step, steps_from_plain, to_plain
from reflexa.take import Export, Source, Take, evaluate
from reflexa.take.evaluate import Surroundings
from reflexa.take.fitting import fitted, refusals
from reflexa.take.recipe import Recipe, fresh


@dataclass(frozen=True)
class Over:
    """What is done to every clip: a recipe, all of whose settings are said; what its steps may draw on; the files that results
    are written like, and into which folder (None: takes are made) and format; limits: thresholds other than they come; there:
    takes that are there already."""

    recipe: Recipe
    within: Surroundings
    documents: Mapping[str, Imported]
    into: Into | None = None
    format: str = STANDARD
    limits: Mapping[str, float] = field(default_factory=dict)
    there: tuple[Take, ...] = ()


class ThereAlready(ReflexaError):
    """What would come of a clip is there: an earlier run, which was cut off perhaps, made it."""


@dataclass(frozen=True, eq=False)
class Came:
    """What came of a clip: the take, its result and rig; how many findings there were before and are now, those in words; what of
    the recipe was left out; how long it took, seconds; the proof of the file."""

    take: Take
    result: Clip
    rig: Rig
    before: int
    after: tuple[str, ...]
    left_out: tuple[str, ...]
    seconds: float
    proof: Proof | None = None


def run_over(over: Over, source: Source, given: tuple[Clip, Rig], name: str, progress: Progress = quiet) -> Came:
    """Run a recipe over a clip on its rig. name: of what comes of it. Steps that do not apply to it are switched off, and named.
    Raises a ReflexaError that says why nothing came of it, ThereAlready, and whatever progress raises to stop."""
    clip, rig = given
    start, document = time.perf_counter(), over.documents[source.file]

    def asks() -> bool:
        progress(source.clip, 0.0)
        return False

    found = fitted(over.recipe, clip, rig, over.within)
    _refuse_there(over, source, name, found.steps)
    take = Take(name, source, fresh(found.steps))
    line = evaluate(take, clip, rig, over.within, asks, lenient=True)
    left_out = (*found.left_out, *refusals(take, line.refused))
    if line.refused:
        steps = (with_fields(s, on=False) if s.id in line.refused else s for s in take.steps)
        line = evaluate(replace(take, steps=tuple(steps)), clip, rig, over.within, asks)
    asks()
    notes = document.notes_on(clip.name)
    before = look(Subject(clip, rig, limits=over.limits, notes=notes))
    steps_ = line.take.steps
    after = look(Subject(line.result, line.rig, steps=steps_, limits=over.limits, source=(clip, rig), notes=notes))
    asks()
    proof = None
    if over.into is not None:
        export = Export(name=name, format=over.format)
        proof = export_take(line, export, document, over.documents.values(), over.into)
    said = tuple(f"{f.text}, frames {f.frames[0]} to {f.frames[1]}" for f in after)
    return Came(line.take, line.result, line.rig, len(before), said, left_out, time.perf_counter() - start, proof)


def _refuse_there(over: Over, source: Source, name: str, steps: tuple[Step, ...]) -> None:
    if over.into is None:
        same = (t.name for t in over.there if t.source == source and _alike(t.steps) == _alike(steps))
        for one in same:
            raise ThereAlready(f"the take {one} exists already")
        return
    (file,) = file_names(name, [name], FORMATS[over.format], False)
    path = over.into.folder / file
    said = manifest_of(path)
    try:
        same_source = said["source"]["sha256"] == over.documents[source.file].sha256
        there = said["recipe"]["steps"]
        if same_source and path.exists() and _alike(steps_from_plain(there)) == _alike(s for s in steps if s.on):
            raise ThereAlready(f"{path.name} exists already")
    except (LookupError, TypeError, RecipeError):
        return


def _alike(steps: Iterable[Step]) -> list[dict[str, Any]]:
    """Steps without what only tells them apart. Whether they are on does not count: what does not apply was switched off."""
    return [{**to_plain(s, identity=False), "on": True} for s in steps]

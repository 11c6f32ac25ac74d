"""Recipes over many clips, on all cores, with the same results as one by one."""

from __future__ import annotations

import glob
import os
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from reflexa.batch.export import MANIFEST, Origin, Proof, Target, files_of, manifest_of, write
from reflexa.batch.inputs import digest_of
from reflexa.batch.pool import Processes, Share, in_order
from reflexa.batch.rigs import clips_of, fitted, load, model_of
from reflexa.batch.version import computation
from reflexa.checks import judge
from reflexa.errors import ReadError, RecipeError, ReflexaError
from reflexa.formats import FORMATS, ReadOptions, WriteOptions, by_suffix, read, writable
from reflexa.formats.files import digest
from reflexa.motion.cycle import repeated
from reflexa.names import file_name
from reflexa.project.sources import files_of as files_of_source
from reflexa.rig.sides import swap_in_text
from reflexa.stage import EMPTY, Stage
from reflexa.take import Range, Source, Surroundings, Take, evaluate, recipe_digest
from reflexa.take.evaluate import ranged
from reflexa.take.fitting import fitted as fitted_to
from reflexa.take.recipe import Recipe


@dataclass(frozen=True)
class How:
    """What is done to every file: the steps, all of whose settings are said, format (None: as the source's), pattern for names,
    how files are read and written, rigs and other clips that steps may draw on, the stage, how often a loop is written, the
    ranges that are written as clips of their own (in files apart or in one), whether clips are loops (None: as their
    files say), files that are never written over, and whether results that are there of the same inputs are passed over."""

    recipe: Recipe
    format: str | None
    pattern: str
    read: ReadOptions
    write: WriteOptions
    overwrite: bool
    rigs: tuple[Path, ...] = ()
    others: tuple[Path, ...] = ()
    stage: Stage = EMPTY
    cycles: int = 1
    ranges: tuple[Range, ...] = ()
    apart: bool = False
    loop: bool | None = None
    inputs: tuple[Path, ...] = ()
    resume: bool = False


@dataclass(frozen=True)
class FileJob:
    """One file to run steps over, and the folder for what comes of it."""

    path: Path
    out: Path
    how: How

    @property
    def overwrite(self) -> bool:
        """May files that are there be written over?"""
        return self.how.overwrite

    def reads(self) -> list[tuple[Path, ...]]:
        """The files that it reads, in bundles that belong together: a file with what belongs to it."""
        return [tuple(files_of_source(p)) for p in (self.path, *self.how.rigs, *self.how.others)]

    def kept(self) -> tuple[Path, ...]:
        """Files that are never written over."""
        return self.how.inputs

    def failed(self, error: ReflexaError) -> Done:
        """What came of it, where nothing did."""
        return Done(self.path, error=error)


@dataclass(frozen=True)
class Done:
    """What became of one file: proofs of what was written, or the error; passed: results that were there already, of the same
    inputs; left_out: in words, what of the steps has no place on its rig."""

    path: Path
    proofs: tuple[Proof, ...] = ()
    error: ReflexaError | None = None
    passed: tuple[Path, ...] = ()
    left_out: tuple[str, ...] = ()


def run_one(job: FileJob) -> Done:
    """Run a job; errors meant for a person are returned, not raised."""
    how = job.how
    try:
        made_of = _made_of(job)
        document = read(job.path, how.read)
        if not document.clips:
            raise ReadError("holds a rig and no clip", job.path)
        given = load(how.rigs)
        rig = given.known(document.rig)
        within = Surroundings(given.rigs, clips_of(how.others, how.rigs))
        proofs, left_out = [], dict[str, None]()
        for clip in document.clips:
            clip = clip if how.loop is None else replace(clip, loop=how.loop)
            steps = fitted_to(how.recipe, clip, rig, within, how.stage)
            left_out |= dict.fromkeys(steps.left_out)
            take = Take(clip.name, Source(job.path.name, clip.name), steps.steps, stage=how.stage)
            name = out_name(how.pattern, job.path.stem, clip.name, how.recipe.name, len(document.clips) > 1)
            evaluation = evaluate(take, clip, rig, within)
            result, on = evaluation.result, evaluation.rig
            judged = evaluation, judge(evaluation, notes=document.notes)
            if on is rig:
                result, on = fitted(result, on, given)
            model = document if on is rig else model_of(on, given)
            kind = FORMATS[how.format or (model.format if model is not None else document.format)]
            if kind.encode is None and not how.format:
                kind = writable()[0]  # the source's format is only read
            if how.cycles > 1:
                result = repeated(result, on.travel_joint, how.cycles)
            # The clip keeps its name inside the file where it goes back into its source's kind.
            result = replace(result, name=clip.name)
            parts = ranged(result, how.ranges) if how.ranges else [result]
            for own, clips in files_of(name, parts, kind, bool(how.ranges) and how.apart).items():
                target = Target(job.out / own, kind.name, how.write, how.overwrite, how.inputs)
                proofs.append(write(clips, on, target, Origin(document, steps.steps, model, judged, made_of)))
        return Done(job.path, tuple(proofs), left_out=tuple(left_out))
    except ReflexaError as e:
        return Done(job.path, error=e)


def _made_of(job: FileJob) -> str:
    """A digest of everything that decides what comes of a file."""
    how = job.how
    files = [[digest(p) for p in files_of_source(path)] for path in (job.path, *how.rigs, *how.others)]
    said = [
        how.format, how.pattern, how.cycles, how.apart, how.loop, how.read.unit, how.read.positions, how.read.facing,
        how.write.frame, how.write.unit, recipe_digest(how.recipe.steps), how.stage.digest, [str(r) for r in how.ranges],
        [str(m) for m in how.recipe.made_on],
    ]  # fmt: skip
    return digest_of([computation(), files, said])


def _there(job: FileJob, made_of: str) -> list[Path]:
    """The results of a file, where all of them are there and were made of the same."""
    out = []
    for name in planned(job)[1]:
        # Onto another rig the suffix is not known before.
        found = job.out.glob(f"{glob.escape(name)}{'' if Path(name).suffix else '.*'}{MANIFEST}")
        files = (m.with_name(m.name.removesuffix(MANIFEST)) for m in found)
        same = [f for f in files if f.exists() and manifest_of(f).get("inputs") == made_of]
        if not same:
            return []
        out += same
    return out


# What a pattern of names may hold.
FIELDS = ("file", "clip", "recipe", "swapped")


def out_name(pattern: str, file: str, clip: str, recipe: str, several: bool) -> str:
    """A file name from a pattern with {file}, {clip}, {recipe} and {swapped} (the name with its side words exchanged)."""
    base = f"{file} {clip}" if several else file
    if not pattern:
        return base
    known = dict(zip(FIELDS, (file, clip, recipe, swap_in_text(base)), strict=True))
    return re.sub(r"\{(\w+)\}", lambda m: known.get(m[1], m[0]), pattern)


def planned(job: FileJob) -> tuple[Path, list[str]]:
    """Which results a file would give, by name (without folder); nothing where it cannot be read, which is said when it is run.
    A format whose files hold one clip need not be read for it."""
    how, kind = job.how, by_suffix(job.path)
    try:
        clips = (
            [job.path.stem]
            if kind is not None and not kind.several_clips
            else [c.name for c in read(job.path, how.read).clips]
        )
    except ReflexaError:
        return job.path, []
    # Onto another rig a result is written as that rig's file is: whatever that is, it is one kind for all.
    suffix = FORMATS[how.format].suffix if how.format else "" if how.rigs else job.path.suffix.lower()
    names = (out_name(how.pattern, job.path.stem, c, how.recipe.name, len(clips) > 1) for c in clips)
    parts = [r.name for r in how.ranges] if how.ranges and how.apart else [""]
    return job.path, [f"{file_name(f'{n} {part}'.strip())}{suffix}" for n in names for part in parts]


def clashes(plans: Iterable[tuple[Path, list[str]]]) -> list[str]:
    """Results that would have one name, in words; case does not tell files apart everywhere."""
    by: dict[str, list[Path]] = {}
    for path, names in plans:
        for name in names:
            by.setdefault(name.lower(), []).append(path)
    return [
        f"{name} would come of {', '.join(str(p) for p in dict.fromkeys(paths))}" + (" twice" if len(set(paths)) == 1 else "")
        for name, paths in by.items() if len(paths) > 1
    ]  # fmt: skip


def run(jobs: list[FileJob], share: Share) -> Iterator[Done]:
    """Run jobs; yields as they finish, in order of their files. What is there of the same inputs is passed over first, where
    that is wanted.

    Raises RecipeError before anything is written where two results would have one name, and WorkerLost."""
    refuse_clashes(in_order(Processes(os.cpu_count() or 1), planned, jobs))
    there = {id(job): _passed(job) for job in jobs}
    rest = [job for job in jobs if there[id(job)] is None]
    came = in_order(share, run_one, rest)
    for job in jobs:
        yield there[id(job)] or next(came)


def _passed(job: FileJob) -> Done | None:
    """What there is of a file of the same inputs already; None: it is to be run."""
    if not job.how.resume:
        return None
    try:
        there = _there(job, _made_of(job))
    except ReflexaError:
        return None  # it is said when it is run
    return Done(job.path, passed=tuple(there)) if there else None


def refuse_clashes(plans: Iterable[tuple[Path, list[str]]]) -> None:
    """Raises RecipeError where two results would have one name."""
    found = clashes(plans)
    if found:
        raise RecipeError(
            f"two results would have one name: {'; '.join(found)}",
            advice="Tell them apart by --name, or run them one by one.",
        )

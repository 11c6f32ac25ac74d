"""Recipes over many clips, on all cores, with the same results as one by one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from reflexa.batch.inputs import digest_of
from reflexa.batch.pool import Processes, Share, in_order
from reflexa.batch.rigs import clips_of, load, model_of, onto_given_rig
from reflexa.batch.version import computation
from reflexa.checks import judge
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, Format, ReadOptions, WriteOptions, by_suffix, read
from reflexa.formats.files import digest
from reflexa.motion import threads
from reflexa.motion.additive import additive_from_plain
from reflexa.motion.clip import Clip
from reflexa.output.additive import added
from reflexa.output.hand_over import handed_over
from reflexa.output.manifest import Origin, manifest_of
from reflexa.output.naming import Results, file_names, refuse_clashes, result_name, written_as
from reflexa.output.takes import Into, write_clips
from reflexa.output.write import Proof
from reflexa.project.sources import with_files_beside
from reflexa.stage import EMPTY, Stage
from reflexa.steps.blend import clip_named
from reflexa.take import Export, Range, Source, Surroundings, Take, evaluate, recipe_digest
from reflexa.take.fitting import fitted
from reflexa.take.recipe import Recipe

# Results as they are: every frame, once, at their own rate.
PLAIN = Export()


@dataclass(frozen=True)
class How:
    """What is done to every file: the steps, all of whose settings are said, format (None: as the source's), pattern for names,
    how files are read and written, rigs and other clips that steps may use, the stage, ranges that are written as clips of their
    own, export settings for every result (cycles, rate, frames held, ranges apart), whether clips are loops (None: as their
    files say), files that are never written over, whether results that exist, made from the same inputs, are skipped, the base
    that additive clips are put onto first (FILE/CLIP among the others), and, of a variation, the settings that vary with their
    values, in words."""

    recipe: Recipe
    format: str | None
    pattern: str
    read: ReadOptions
    write: WriteOptions
    overwrite: bool
    rigs: tuple[Path, ...] = ()
    others: tuple[Path, ...] = ()
    stage: Stage = EMPTY
    ranges: tuple[Range, ...] = ()
    export: Export = PLAIN
    loop: bool | None = None
    inputs: tuple[Path, ...] = ()
    resume: bool = False
    base: str = ""
    varied: tuple[tuple[str, str], ...] = ()

    @property
    def apart(self) -> bool:
        """True if each range goes into a file of its own."""
        return bool(self.ranges) and self.export.ranges == "apart"


@dataclass(frozen=True)
class FileJob:
    """One file to run steps over, and the folder for what comes of it."""

    path: Path
    out: Path
    how: How
    taken_up_again: bool = False

    def again(self) -> FileJob:
        """The same where a process that was at it is lost: what that one wrote by then may be there."""
        return replace(self, taken_up_again=True)

    @property
    def overwrite(self) -> bool:
        """True if existing files may be overwritten."""
        return self.how.overwrite

    def reads(self) -> list[tuple[Path, ...]]:
        """The files that it reads, in bundles that belong together: a file with what belongs to it."""
        return [tuple(with_files_beside(p)) for p in (self.path, *self.how.rigs, *self.how.others)]

    def kept(self) -> tuple[Path, ...]:
        """Files that are never written over."""
        return self.how.inputs

    def failed(self, error: ReflexaError) -> Done:
        """What came of it, where nothing did."""
        return Done(self.path, error=error)


@dataclass(frozen=True)
class Done:
    """What became of one file: proofs of what was written, or the error; passed: results that were there already, of the same
    inputs; left_out: in words, what of the steps has no place on its rig; varied: the settings that vary with their values."""

    path: Path
    proofs: tuple[Proof, ...] = ()
    error: ReflexaError | None = None
    passed: tuple[Path, ...] = ()
    left_out: tuple[str, ...] = ()
    varied: tuple[tuple[str, str], ...] = ()


def run_one(job: FileJob) -> Done:
    """Run a job; errors meant for a person are returned, not raised."""
    how = job.how
    try:
        made_of = _made_of(job)
        document = read(job.path, how.read)
        if not document.clips:
            raise ReadError("contains a rig but no clip", job.path)
        given = load(how.rigs)
        rig = given.known(document.rig)
        within = Surroundings(given.rigs, clips_of(how.others, how.rigs))
        proofs, left_out = list[Proof](), dict[str, None]()
        for clip in document.clips:
            if how.base:
                clip = added(marked(clip, job.path), *clip_named(how.base, within.clips), how.base)
            clip = clip if how.loop is None else replace(clip, loop=how.loop)
            steps = fitted(how.recipe, clip, rig, within, how.stage)
            left_out |= dict.fromkeys(steps.left_out)
            take = Take(clip.name, Source(job.path.name, clip.name), steps.steps, stage=how.stage)
            name = _name(job, clip.name, len(document.clips) > 1)
            evaluation = evaluate(take, clip, rig, within)
            result, on = evaluation.result, evaluation.rig
            judged = evaluation, judge(evaluation, notes=document.notes_on(clip.name))
            if on is rig:
                result, on = onto_given_rig(result, on, given)
            model = document if on is rig else model_of(on, given)
            like = FORMATS[model.format if model is not None else document.format]
            kind = FORMATS[how.format] if how.format else written_as(like)
            # The clip keeps its name inside the file where it goes back into its source's kind.
            handed = handed_over(result, on, how.ranges, replace(how.export, name=clip.name), within.clips)
            into = Into(
                job.out, how.overwrite, format=kind.name, options=how.write, apart=how.apart, inputs=how.inputs,
                taken_up_again=job.taken_up_again,
            )  # fmt: skip
            proofs += write_clips(name, handed, on, into, Origin(document, steps.steps, model, judged, made_of))
        return Done(job.path, tuple(proofs), left_out=tuple(left_out), varied=how.varied)
    except ReflexaError as e:
        return Done(job.path, error=e, varied=how.varied)


def _name(job: FileJob, clip: str, several: bool) -> str:
    how = job.how
    return result_name(how.pattern, job.path.stem, clip, how.recipe.name, several, dict(how.varied))


def marked(clip: Clip, path: Path) -> Clip:
    """A clip with the mark of an additive one, from its manifest where its format has no place for it."""
    said = additive_from_plain(manifest_of(path).get("additive")) if clip.additive is None else None
    return clip if said is None else replace(clip, additive=said, contacts=())


def _made_of(job: FileJob) -> str:
    """A digest of everything that decides what comes of a file."""
    how = job.how
    files = [[digest(p) for p in with_files_beside(path)] for path in (job.path, *how.rigs, *how.others)]
    said = [
        how.format, how.pattern, str(how.export), how.loop, how.base, how.read.unit, how.read.positions, how.read.facing,
        how.write.frame, how.write.unit, how.write.order, recipe_digest(how.recipe.steps), how.stage.digest,
        [str(r) for r in how.ranges],
        [str(m) for m in how.recipe.made_on],
    ]  # fmt: skip
    return digest_of([computation(), files, said])


def _there(job: FileJob, made_of: str) -> list[Path]:
    """The results of a file, where all of them are there and were made of the same."""
    for names in planned(job).names:
        files = [job.out / n for n in names]
        if files and all(f.exists() and manifest_of(f).get("inputs") == made_of for f in files):
            return files
    return []


def planned(job: FileJob) -> Results:
    """Which results a file would give, from what is read of it; nothing where it cannot be read, which is said when it is run.
    A format whose files hold one clip need not be read for it."""
    how, kind = job.how, by_suffix(job.path)
    try:
        if kind is not None and not kind.several_clips:
            clips = [job.path.stem]
        else:
            document = read(job.path, how.read)
            clips, kind = list(document.clips.names), FORMATS[document.format]
        # Onto another rig a result is written as that rig's file is.
        models = [FORMATS[m.format] for m in load(how.rigs).models.values()]
    except ReflexaError:
        return Results(job.path)
    formats = [FORMATS[how.format]] if how.format else [written_as(k) for k in (kind, *models)]
    names = [_name(job, c, len(clips) > 1) for c in clips]

    def files(name: str, clip: str, format: Format) -> list[str]:
        return file_names(name, [r.name for r in how.ranges] or [clip], format, how.apart)

    by_format = {
        f.suffix: [n for name, c in zip(names, clips, strict=True) for n in files(name, c, f)] for f in formats
    }
    return Results(job.path, tuple(map(tuple, by_format.values())))


def run(jobs: list[FileJob], share: Share) -> Iterator[Done]:
    """Run jobs; yields as they finish, in order of their files. What is there of the same inputs is passed over first, where
    that is wanted.

    Raises RecipeError before anything is written where two results would have one name, and WorkerLost."""
    plans = in_order(Processes(threads.cores()), planned, jobs)
    refuse_clashes(p for p in plans if isinstance(p, Results))  # one that ends its reader is said when it is run
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

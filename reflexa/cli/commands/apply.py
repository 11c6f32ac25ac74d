"""``reflexa apply``: steps over clips."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal, get_args

import click
from msgspec import structs
from rich.console import Console

from reflexa.batch.pool import Share
from reflexa.batch.rigs import clips_of, load
from reflexa.batch.run import Done, FileJob, How, run
from reflexa.cli.naming_clips import named_for_steps
from reflexa.cli.options import (
    Reading,
    Talk,
    Writing,
    bar_on_terminal,
    clip_files,
    clustered,
    grouped,
    inputs_of,
    looping,
    of_file,
    reading,
    sharing,
    staged,
    stops,
    talking_json,
    tell,
    writing,
)
from reflexa.formats import writable
from reflexa.install.completion import StepText
from reflexa.motion import threads
from reflexa.output.additive import FIRST, REST, is_frame
from reflexa.output.naming import FIELDS
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.take import Export, Part, Range
from reflexa.take.parse_step import recipe_from_text, value_from_text
from reflexa.take.recipe import Recipe, joined, read_recipe, with_values
from reflexa.take.variations import Variation, variations, varied_from_text


class _Ordered(click.Command):
    """Keeps ``--recipe`` and ``--step`` in the order in which they were given: both become one list."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        out: list[str] = []
        it = iter(args)
        for arg in it:
            if arg == "--recipe" and (value := next(it, None)) is not None:
                out += ["--step", f"@{value}"]
            elif arg.startswith("--recipe="):
                out += ["--step", f"@{arg.removeprefix('--recipe=')}"]
            else:
                out.append(arg)
        return super().parse_args(ctx, out)


@dataclass(frozen=True)
class _Choices:
    """What ``apply`` was told beside how files are read and written."""

    said: tuple[str, ...]
    fmt: str | None
    others: tuple[Path, ...]
    cycles: int
    rate: float | None
    held: tuple[int, int]
    pattern: str
    jobs: int
    ranges: tuple[str, ...]
    apart: bool
    loop: bool | None
    stage_file: Path | None
    resume: bool
    values: tuple[str, ...]
    cluster: str
    no_relations: bool
    no_contacts: bool
    vary: tuple[str, ...]
    additive_to: str
    additive_turns: Literal["own", "parent"]
    additive_root: bool
    base: str
    joints: tuple[str, ...]
    without: tuple[str, ...]


_OPTIONS = (
    # Shown in the help; what is given stands among the steps, in its order.
    click.option("--recipe", "recipe", metavar="FILE", expose_value=False, help="Run the steps of a recipe file."),
    click.option("--step", "said", multiple=True, type=StepText(), metavar="KIND[:setting=value,…]", help="Run one step."),
    click.option(
        "--format", "fmt", type=click.Choice([f.name for f in writable()]),
        help="The format to write. Default: the format of the source, or glb if that is only read.",
    ),
    click.option(
        "--with", "others", multiple=True, metavar="FILE", type=click.Path(path_type=Path),
        help="A file whose clips a blend can use, as FILE/CLIP. Can be given several times.",
    ),
    click.option(
        "--cycles", type=click.IntRange(1, 1000), default=1, help="Write this many cycles of a loop; travel continues."
    ),
    click.option(
        "--rate", type=click.FloatRange(0, 1000, min_open=True), metavar="FPS",
        help="Resample each result to this many frames per second. Loops stay closed.",
    ),
    click.option(
        "--hold", "held", nargs=2, type=click.IntRange(0, 100_000), default=(0, 0), metavar="BEFORE AFTER",
        help="Hold the first pose for this many frames before each clip, and the last pose after it.",
    ),
    click.option("--name", "pattern", default="", help="File name pattern: {file}, {clip}, {recipe}, {swapped}."),
    click.option(
        "--jobs", type=click.IntRange(1), default=threads.cores(), show_default="all cores",
            help="How many files are processed at the same time."
    ),
    click.option(
        "--ranges", "ranges", multiple=True, metavar="NAME=FIRST-LAST[,…]",
        help="Write parts of each result as separate clips. A + after the last frame marks a loop.",
    ),
    click.option("--apart", is_flag=True,
        help="Write each range to its own file, even if the format can hold several clips."),
    clustered,
    looping,
    staged,
    click.option(
        "--set", "values", multiple=True, metavar="NAME=VALUE", help="A value for a parameter of the recipe."
    ),
    click.option(
        "--vary", "vary", multiple=True, metavar="STEP.SETTING=A,B,…",
        help="Write a result for each of these values of a setting (or of a weight); 0..1/5 means five values, evenly. STEP: the "
             "kind or name of a step, or steps.N from 0 on. Given several times: every combination.",
    ),
    click.option(
        "--additive-to", default="", metavar="BASE",
        help="Write the difference from a base: rest, first (each clip's first frame), \"frame N\" of the result, or a clip, as "
             "FILE[#CLIP], which begins together with it.",
    ),
    click.option(
        "--additive-turns", type=click.Choice(["own", "parent"]), default="own", show_default=True,
        help="own: rotations differ about the joint's own axes. parent: about the axes of its parent.",
    ),
    click.option(
        "--additive-root/--no-additive-root", default=True, show_default=True,
        help="Whether the root differs too, or stays that of the base.",
    ),
    click.option(
        "--base", default="", metavar="FILE[#CLIP]", help="Put additive clips onto this clip before anything else is done."
    ),
    click.option(
        "--joints", multiple=True, metavar="NAME[,…]",
        help="Write only these: joints, groups, chains or parts of the body, such as \"left arm\" or \"upper body\".",
    ),
    click.option(
        "--without", multiple=True, metavar="[helpers|fingers|tracks|scale][,…]", help="Leave these out of what is written."
    ),
    click.option("--no-relations", is_flag=True,
        help="Do not keep relations between hands, and between hands and body."),
    click.option("--no-contacts", is_flag=True, help="Do not keep contacts of feet and hands."),
    click.option(
        "--resume", is_flag=True,
        help="Skip results whose manifest shows the same inputs. Continues a run that was interrupted.",
    ),
)  # fmt: skip


def _ranges(said: tuple[str, ...]) -> tuple[Range, ...]:
    out = []
    for text in ",".join(said).split(",") if said else []:
        found = re.fullmatch(r"\s*(.+?)\s*=\s*(\d+)\s*-\s*(\d+)\s*(\+?)\s*", text)
        if found is None:
            raise click.UsageError(f"{text!r} is not a range. Use NAME=FIRST-LAST, for example wind-up=0-24.")
        out.append(Range(found[1], int(found[2]), int(found[3]), bool(found[4])))
    return tuple(out)


def _recipes(said: tuple[str, ...]) -> list[Path]:
    return [Path(text[1:]) for text in said if text.startswith("@")]


def _recipe(said: tuple[str, ...], values: tuple[str, ...]) -> Recipe:
    """Recipe files (given as ``@FILE``) and single steps in their order as one, with what their parameters are told to be."""
    parts = [read_recipe(Path(text[1:])) if text.startswith("@") else recipe_from_text(text) for text in said]
    told = dict[str, Any]()
    for text in values:
        name, equals, value = text.partition("=")
        if not equals:
            raise click.UsageError(f"{text!r} is not NAME=VALUE.")
        told[name.strip()] = value_from_text(name.strip(), value, f"--set {name}")
    title = next((p.name for p in reversed(parts) if p.name), "steps")
    return with_values(joined(title, parts), told)


def _loosened(recipe: Recipe, no_relations: bool, no_contacts: bool) -> Recipe:
    """A recipe whose steps do not keep relations, or anything that touches."""
    off = {"relations": False} if no_relations or no_contacts else {}
    off |= {"feet": False} if no_contacts else {}
    steps = []
    for step in recipe.steps:
        own = {k: v for k, v in off.items() if isinstance(getattr(step.settings, k, None), bool)}
        steps.append(structs.replace(step, settings=structs.replace(step.settings, **own)) if own else step)
    return replace(recipe, steps=tuple(steps))


def _words(said: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(w for text in said for word in text.split(",") if (w := word.strip()))


def _left_out(said: tuple[str, ...]) -> tuple[Any, ...]:
    known = get_args(Part)
    words = _words(said)
    for word in words:
        if word not in known:
            raise click.UsageError(f"--without {word!r}: choose of {', '.join(known)}.")
    return words


def _based(text: str, others: tuple[Path, ...]) -> tuple[str, tuple[Path, ...]]:
    """The name of a clip that is given as a file, and the files whose clips can be used, with its own."""
    if not text:
        return "", others
    path, name = named_for_steps(text)
    same = [p for p in others if p.name == path.name]
    if same and not any(p.exists() and p.samefile(path) for p in same):
        raise click.UsageError(f"{path} and {same[0]} have one name. Rename one of them.")
    return name, others if same else (*others, path)


def _fits(pattern: str, varied: Iterable[str]) -> None:
    known = (*FIELDS, *varied)
    left = re.sub("|".join(rf"\{{{re.escape(f)}\}}" for f in known), "", pattern)
    if "{" in left or "}" in left or "/" in pattern or "\0" in pattern:
        raise click.UsageError(
            f"The pattern {pattern!r} can contain {', '.join(f'{{{f}}}' for f in known)}, but no other braces and no folders."
        )


EXAMPLES = (
    "reflexa apply clips/walk.bvh --step mirror --out out",
    'reflexa apply sources/*.glb --step mirror:plane=world --out mirrored --name "{swapped}"',
    "reflexa apply clips/walk.bvh --step retarget --rig sources/ferrykeeper.glb --out ferrykeeper",
    'reflexa apply clips/*.bvh --recipe lean.recipe.json --set "how much=0.5" --jobs 2 --out leaning',
    'reflexa apply clips/walk.bvh --step mirror --vary "mirror.weight=0.5,1" --out both',
    'reflexa apply clips/walk.bvh --additive-to first --joints "upper body" --out additive',
)


@click.command("apply", cls=_Ordered)
@clip_files
@click.option("--out", required=True, type=click.Path(path_type=Path), help="Folder to write to.")
@grouped(_OPTIONS, "choices", _Choices)
@reading
@writing
@talking_json
@stops
def COMMAND(
    clips: tuple[Path, ...], out: Path, choices: _Choices, source: Reading, target: Writing, talk: Talk
) -> None:
    """Run steps over clips, in the order given. Never touches a source; refuses to overwrite without --force."""
    recipe = _loosened(_recipe(choices.said, choices.values), choices.no_relations, choices.no_contacts)
    for older in () if talk.quiet else recipe.older:
        click.echo(f"note: {older}", err=True)
    export = Export(
        cycles=choices.cycles, rate=choices.rate, held=choices.held, ranges="apart" if choices.apart else "together",
        joints=_words(choices.joints), without=_left_out(choices.without), additive_turns=choices.additive_turns,
        additive_root=choices.additive_root,
    )  # fmt: skip
    base, others = _based(choices.base, choices.others)
    to = choices.additive_to.strip()
    if to and to not in (REST, FIRST) and not is_frame(to):
        to, others = _based(to, others)
    export = replace(export, additive=to)
    if not recipe.steps and not source.rigs and not choices.ranges and not base and export == Export():
        raise click.UsageError(
            "Give at least one --recipe or --step (or a --rig to write for, --ranges, --rate, --cycles, --hold, --base, "
            "--additive-to, --joints or --without)."
        )
    varied = [varied_from_text(text, recipe) for text in choices.vary]
    family = list(variations(recipe, varied)) if varied else [Variation(recipe, ())]
    stage = read_stage(choices.stage_file) if choices.stage_file is not None else EMPTY
    # What all files need is read once here, so that what is wrong with it is said once.
    load(source.rigs)
    clips_of(others, source.rigs)
    _fits(choices.pattern, (name for name, _ in family[0].values))
    how = How(
        recipe, choices.fmt, choices.pattern, source.options, target.options, target.force, source.rigs,
        others, stage, _ranges(choices.ranges), export, choices.loop,
        inputs_of(*clips, *source.rigs, *others, choices.stage_file, *_recipes(choices.said)), choices.resume, base,
    )  # fmt: skip
    hows = [replace(how, recipe=v.recipe, varied=v.values) for v in family]
    with sharing(choices.cluster, choices.jobs) as share:
        results = _run([FileJob(p, out, h) for p in clips for h in hows], share, talk)
    if talk.as_json:
        click.echo(json.dumps(_plain(results), indent=2))
    sys.exit(max((r.error.exit_status for r in results if r.error is not None), default=0))


def _run(jobs: list[FileJob], share: Share, talk: Talk) -> list[Done]:
    """Run jobs, with progress, and a line for each result on standard output."""
    console = Console(stderr=True, highlight=False)
    results: list[Done] = []
    with bar_on_terminal(talk=talk, console=console) as bar:
        task = bar.add_task("Applying", total=len(jobs))
        for result in run(jobs, share):
            results.append(result)
            bar.advance(task)
            if result.error is not None:
                tell(of_file(result.error, result.path))
            elif not talk.quiet:
                for what in result.left_out:
                    click.echo(f"{result.path}: skipped: {what}", err=True)
                for there in () if talk.as_json else result.passed:
                    click.echo(f"{there}: exists already, made from the same inputs")
                for p in () if talk.as_json else result.proofs:
                    click.echo(f"{p.path}: {p.said}")
    return results


def _plain(results: list[Done]) -> dict[str, Any]:
    written = [
        {"source": str(r.path), **({"varied": dict(r.varied)} if r.varied else {}), **p.plain}
        for r in results for p in r.proofs
    ]  # fmt: skip
    failed = [{"source": str(r.path), "error": str(r.error)} for r in results if r.error is not None]
    passed = [{"source": str(r.path), "file": str(p)} for r in results for p in r.passed]
    left_out = [{"source": str(r.path), "left_out": list(r.left_out)} for r in results if r.left_out]
    return {"written": written, "failed": failed, "passed": passed, "left_out": left_out}

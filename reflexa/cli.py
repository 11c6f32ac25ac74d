"""The command line. What can be done here and in the window is the same code."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import Progress

from reflexa import __version__, describe
from reflexa.batch.export import export
from reflexa.batch.rigs import clips_of, fitted, model_of
from reflexa.batch.rigs import load as load_rigs
from reflexa.batch.run import Done, Job, run
from reflexa.checks import findings, measured
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, Imported, ReadOptions, WriteOptions, read
from reflexa.formats.files import write_bytes
from reflexa.formats.imported import FACINGS, UNITS
from reflexa.formats.rigfile import RigDocument
from reflexa.project.text import pretty
from reflexa.rig.notes import notes_of
from reflexa.rig.problems import problems
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.steps import KINDS, Step
from reflexa.steps.registry import describe as describe_kind
from reflexa.steps.registry import kind_of
from reflexa.take.recipe import read_recipe, step_from_text

_err = Console(stderr=True, highlight=False)


class _Commands(click.Group):
    """A first word that is no command is a project to open; no word at all opens the window."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if not args or args[0] == "--demo" or (args[0] not in self.commands and not args[0].startswith("-")):
            args = ["open", *args]
        return super().parse_args(ctx, args)


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


def _common(f: Callable[..., Any]) -> Callable[..., Any]:
    f = click.option("--quiet", is_flag=True, help="Say nothing but errors.")(f)
    return click.option("--verbose", is_flag=True, help="Say more on the way.")(f)


def _json_option(f: Callable[..., Any]) -> Callable[..., Any]:
    return click.option("--json", "as_json", is_flag=True, help="One JSON document on standard output.")(f)


def _reading(f: Callable[..., Any]) -> Callable[..., Any]:
    f = click.option(
        "--source-units", type=click.Choice(list(UNITS)), help="Unit of a source that declares none (BVH)."
    )(f)
    f = click.option(
        "--source-facing", "facing", default="", type=click.Choice(["", *FACINGS]),
        help="Which way the figure faces in the file, where the guess is wrong.",
    )(f)  # fmt: skip
    return click.option(
        "--positions", type=click.Choice(["auto", "replace", "add"]), default="auto", show_default=True,
        help="How a BVH joint's position channels relate to its offset.",
    )(f)  # fmt: skip


def _writing(f: Callable[..., Any]) -> Callable[..., Any]:
    f = click.option(
        "--frame", type=click.Choice(["source", "clean"]), default="source", show_default=True,
        help="Write as the source was, or the format's own standard.",
    )(f)  # fmt: skip
    f = click.option(
        "--units", type=click.Choice(list(UNITS)), default="m", show_default=True, help="Unit of a clean BVH."
    )(f)
    return click.option("--force", is_flag=True, help="Write over existing files.")(f)


def _rigs(f: Callable[..., Any]) -> Callable[..., Any]:
    return click.option(
        "--rig", "rigs", multiple=True, metavar="FILE", type=click.Path(path_type=Path),
        help="A rig to go onto (any model or clip file), or a rig document (.rig.json) with what is known of a rig. May be "
        "given several times.",
    )(f)  # fmt: skip


def _stage(f: Callable[..., Any]) -> Callable[..., Any]:
    return click.option(
        "--stage", "stage_file", metavar="FILE", type=click.Path(path_type=Path),
        help="The stage: a stage document (.stage.json), or a GLB mesh as one prop. What feet stand on and goals go to.",
    )(f)  # fmt: skip


def _fail(error: ReflexaError) -> None:
    click.echo(f"error: {error}", err=True)


def _options(source_units: str | None, positions: str, facing: str = "") -> ReadOptions:
    return ReadOptions(UNITS[source_units] if source_units else None, positions, facing)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="reflexa")
def main() -> None:
    """Reflexa revises skeletal animation clips: mirror, correct, export; the source is never changed.

    `reflexa [PROJECT]` opens the window, `reflexa --demo` opens it with the demo project.
    """


@main.command("open", hidden=True)
@click.argument("project", required=False, type=click.Path(path_type=Path))
@click.option("--demo", is_flag=True, help="Open a copy of the demo project.")
@_common
def open_window(project: Path | None, demo: bool, quiet: bool, verbose: bool) -> None:
    """Open the window."""
    from reflexa.desktop.app import run_window

    try:
        sys.exit(run_window(project, demo))
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)


@main.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@_json_option
@_reading
@_rigs
@_common
def info(
    files: tuple[Path, ...], as_json: bool, source_units: str | None, positions: str, facing: str, rigs: tuple[Path, ...],
    quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """What is in clip or rig files."""
    status = 0
    found = []
    for path in files:
        try:
            document = read(path, _options(source_units, positions, facing))
            document = replace(document, rig=load_rigs(rigs).known(document.rig))
        except ReflexaError as e:
            _fail(e)
            status = max(status, e.exit_status)
            continue
        if as_json:
            found.append(describe.plain(document))
            continue
        click.echo(str(path))
        for line in describe.lines(document):
            click.echo(f"  {line}")
        if verbose:
            for part, names in document.rig.body_map.items():
                how = document.rig.found[part]
                click.echo(f"    {part}: {', '.join(names)} (by {how.by}, {how.sure:.0%} sure)")
            for problem in problems(document.rig):
                click.echo(f"    {problem.text}")
    if as_json:
        click.echo(json.dumps({"files": found}, indent=2))
    sys.exit(status)


@main.command()
@click.argument("kind", required=False)
@_json_option
@_common
def steps(kind: str | None, as_json: bool, quiet: bool, verbose: bool) -> None:
    """Every kind of step with its settings, units, ranges and defaults."""
    try:
        kinds = [kind_of(kind)] if kind else list(KINDS.values())
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)
    described = [describe_kind(k) for k in kinds]
    if as_json:
        click.echo(json.dumps({"steps": described}, indent=2))
        return
    for k in described:
        click.echo(f"{k['kind']}: {k['help']}")
        for s in k["settings"]:
            limits = " to ".join(str(s[b]) for b in ("least", "most") if b in s)
            kind_text = " | ".join(s["choices"]) if "choices" in s else s["type"]
            unit = f" {s['unit']}" if "unit" in s else ""
            click.echo(
                f"  {s['name']}: {kind_text}{f' {limits}' if limits else ''}{unit}, default {json.dumps(s['default'])}"
            )
            click.echo(f"      {s['help']}")


@main.command("rig")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), help="File to write to; standard output where left out.")
@_reading
@_rigs
@click.option("--force", is_flag=True, help="Write over an existing file.")
@_common
def write_rig(
    file: Path, out: Path | None, source_units: str | None, positions: str, facing: str, rigs: tuple[Path, ...], force: bool,
    quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """Write what is known of a rig as a document: body map, pairs, centre line, helper rules, skeleton.

    Correct it by hand or in the window, and give it back with --rig.
    """
    try:
        known = load_rigs(rigs).known(read(file, _options(source_units, positions, facing)).rig)
        text = pretty(RigDocument(file.stem, known.key, notes_of(known, with_joints=True)).plain())
        if out is None:
            click.echo(text, nl=False)
        else:
            write_bytes(out, text.encode(), force)
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)
    if not quiet:
        for problem in problems(known):
            click.echo(problem.text, err=True)


@main.command()
@click.argument("clips", nargs=-1, required=True, type=click.Path(path_type=Path))
@_json_option
@_reading
@_rigs
@_stage
@_common
def check(
    clips: tuple[Path, ...], as_json: bool, source_units: str | None, positions: str, facing: str, rigs: tuple[Path, ...],
    stage_file: Path | None, quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """Measure what looks wrong in clips. Exit status 1 where something was found."""
    status, found, sizes = 0, [], []
    try:
        stage = read_stage(stage_file) if stage_file is not None else EMPTY
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)
    for path in clips:
        try:
            document = read(path, _options(source_units, positions, facing))
            rig = load_rigs(rigs).known(document.rig)
        except ReflexaError as e:
            _fail(e)
            status = max(status, e.exit_status)
            continue
        for clip in document.clips:
            numbers = measured(clip, rig, stage)
            sizes.append(
                {"path": str(path), "clip": clip.name, **{n: asdict(m) for n, m in numbers.items()}, "unit": "cm"}
            )
            if not as_json and not quiet:
                said = (
                    f"{name} {m.size:.1f} cm" + (f" ({m.joint}, frame {m.worst})" if m.size >= 0.05 else "")
                    for name, m in numbers.items()
                )  # fmt: skip
                click.echo(f"{path}, {clip.name}: {', '.join(said)}")
            for f in findings(clip, rig, stage):
                status = max(status, 1)
                found.append({"path": str(path), "clip": clip.name, **asdict(f)})
                if not as_json and not quiet:
                    click.echo(f"{path}, {clip.name}, frames {f.frames[0]} to {f.frames[1]}: {f.text}")
    if as_json:
        click.echo(json.dumps({"findings": found, "measured": sizes}, indent=2))
    elif not found and status == 0 and not quiet:
        click.echo("Nothing found.")
    sys.exit(status)


@main.command(cls=_Ordered)
@click.argument("clips", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--recipe", "recipe", metavar="FILE", help="Run the steps of a recipe file.")
@click.option("--step", "said", multiple=True, metavar="KIND[:setting=value,…]", help="Run one step.")
@click.option("--out", required=True, type=click.Path(path_type=Path), help="Folder to write to.")
@click.option("--format", "fmt", type=click.Choice(list(FORMATS)), help="Format to write; else as the source's.")
@click.option(
    "--with",
    "others",
    multiple=True,
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="A file whose clips a blend may draw on, as FILE/CLIP. May be given several times.",
)
@click.option(
    "--cycles", type=click.IntRange(1, 1000), default=1, help="Write a loop so many times over, travel carried on."
)
@_stage
@click.option("--name", "pattern", default="", help="File name pattern: {file}, {clip}, {recipe}, {swapped}.")
@click.option(
    "--jobs",
    type=click.IntRange(1),
    default=os.cpu_count() or 1,
    show_default="all cores",
    help="Files at a time.",
)
@_json_option
@_reading
@_rigs
@_writing
@_common
def apply(
    clips: tuple[Path, ...], recipe: str | None, said: tuple[str, ...], out: Path, fmt: str | None, others: tuple[Path, ...],
    cycles: int, stage_file: Path | None, pattern: str, jobs: int,
    as_json: bool, source_units: str | None, positions: str, facing: str, rigs: tuple[Path, ...], frame: str, units: str,
    force: bool, quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """Run steps over clips, in the order given. Never touches a source; refuses to overwrite without --force."""
    try:
        chosen: list[Step] = []
        title = "steps"
        for text in said:
            if text.startswith("@"):
                title, found = read_recipe(Path(text[1:]))
                chosen += found
            else:
                chosen.append(step_from_text(text))
        if not chosen and not rigs:
            raise click.UsageError("Give at least one --recipe or --step (or a --rig to write for).")
        stage = read_stage(stage_file) if stage_file is not None else EMPTY
        load_rigs(rigs)
        clips_of(others, rigs)
        try:
            pattern.format(file="", clip="", recipe="", swapped="")
        except (KeyError, IndexError, ValueError):
            raise click.UsageError(
                f"The pattern {pattern!r} may hold {{file}}, {{clip}}, {{recipe}} and {{swapped}}."
            ) from None
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)
    work = [
        Job(
            p,
            out,
            tuple(chosen),
            fmt,
            pattern,
            title,
            _options(source_units, positions, facing),
            WriteOptions(frame, UNITS[units]),
            force,
            rigs,
            others,
            stage,
            cycles,
        )
        for p in clips
    ]
    results: list[Done] = []
    with Progress(console=_err, disable=quiet or not _err.is_terminal, transient=True) as bar:
        task = bar.add_task("Applying", total=len(work))
        for result in run(work, jobs):
            results.append(result)
            bar.advance(task)
            if result.error is not None:
                _fail(result.error)
            elif not quiet:
                for p in result.proofs:
                    click.echo(
                        f"{p.path}: {p.frames} frames at {p.rate:g} a second, reads back within {p.error_mm:.4f} mm",
                        err=True,
                    )
    if as_json:
        written = [
            {
                "source": str(r.path), "file": str(p.path), "manifest": str(p.manifest), "frames": p.frames, "rate": p.rate,
                "read_back_error_mm": p.error_mm,
            }
            for r in results for p in r.proofs
        ]  # fmt: skip
        failed = [{"source": str(r.path), "error": str(r.error)} for r in results if r.error is not None]
        click.echo(json.dumps({"written": written, "failed": failed}, indent=2))
    sys.exit(max((r.error.exit_status for r in results if r.error is not None), default=0))


@main.command()
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--clip", "clip_name", help="Which clip, where the source has several and the target holds one.")
@_reading
@_rigs
@_writing
@_common
def convert(
    source: Path, target: Path, clip_name: str | None, source_units: str | None, positions: str, facing: str,
    rigs: tuple[Path, ...], frame: str, units: str, force: bool, quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """Format to format, with no steps. The target's suffix says which format."""
    try:
        by_suffix = {f.suffix: f for f in FORMATS.values()}
        kind = by_suffix.get(target.suffix.lower())
        if kind is None:
            raise click.UsageError(f"{target.name}: the suffix must be one of {', '.join(by_suffix)}.")
        document = read(source, _options(source_units, positions, facing))
        chosen = _chosen_clips(document, clip_name, kind.many)
        given = load_rigs(rigs)
        moved = [fitted(c, document.rig, given) for c in chosen]
        on = moved[0][1]
        model = document if on is document.rig else model_of(on, given)
        proof = export(
            [c for c, _ in moved], on, target, kind.name, document, (), WriteOptions(frame, UNITS[units]), force, model=model
        )  # fmt: skip
    except ReflexaError as e:
        _fail(e)
        sys.exit(e.exit_status)
    if not quiet:
        click.echo(
            f"{proof.path}: {proof.frames} frames at {proof.rate:g} a second, reads back within {proof.error_mm:.4f} mm",
            err=True,
        )


def _chosen_clips(document: Imported, name: str | None, many: bool) -> list[Any]:
    if not document.clips:
        raise ReadError("holds a rig and no clip", document.path)
    if name is not None:
        found = [c for c in document.clips if c.name == name]
        if not found:
            names = ", ".join(c.name for c in document.clips)
            raise click.UsageError(f"{document.path.name} has no clip {name!r}; it has {names}.")
        return found
    if len(document.clips) > 1 and not many:
        names = ", ".join(c.name for c in document.clips)
        raise click.UsageError(f"{document.path.name} has several clips ({names}); choose one with --clip.")
    return list(document.clips)

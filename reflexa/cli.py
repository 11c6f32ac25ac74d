"""The command line. What can be done here and in the window is the same code."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import Progress

from reflexa import __version__, describe
from reflexa.batch.export import export
from reflexa.batch.run import Done, Job, run
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, Imported, ReadOptions, WriteOptions, read
from reflexa.formats.imported import UNITS
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


def _fail(error: ReflexaError) -> None:
    click.echo(f"error: {error}", err=True)


def _options(source_units: str | None, positions: str) -> ReadOptions:
    return ReadOptions(UNITS[source_units] if source_units else None, positions)


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
@_common
def info(
    files: tuple[Path, ...],
    as_json: bool,
    source_units: str | None,
    positions: str,
    quiet: bool,
    verbose: bool,
) -> None:
    """What is in clip or rig files."""
    status = 0
    found = []
    for path in files:
        try:
            document = read(path, _options(source_units, positions))
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
                click.echo(f"    {part}: {', '.join(names)}")
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


@main.command(cls=_Ordered)
@click.argument("clips", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--recipe", "recipe", metavar="FILE", help="Run the steps of a recipe file.")
@click.option("--step", "said", multiple=True, metavar="KIND[:setting=value,…]", help="Run one step.")
@click.option("--out", required=True, type=click.Path(path_type=Path), help="Folder to write to.")
@click.option("--format", "fmt", type=click.Choice(list(FORMATS)), help="Format to write; else as the source's.")
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
@_writing
@_common
def apply(
    clips: tuple[Path, ...], recipe: str | None, said: tuple[str, ...], out: Path, fmt: str | None, pattern: str, jobs: int,
    as_json: bool, source_units: str | None, positions: str, frame: str, units: str, force: bool, quiet: bool, verbose: bool,
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
        if not chosen:
            raise click.UsageError("Give at least one --recipe or --step.")
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
            _options(source_units, positions),
            WriteOptions(frame, UNITS[units]),
            force,
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
@_writing
@_common
def convert(
    source: Path, target: Path, clip_name: str | None, source_units: str | None, positions: str, frame: str, units: str,
    force: bool, quiet: bool, verbose: bool,
) -> None:  # fmt: skip
    """Format to format, with no steps. The target's suffix says which format."""
    try:
        by_suffix = {f.suffix: f for f in FORMATS.values()}
        kind = by_suffix.get(target.suffix.lower())
        if kind is None:
            raise click.UsageError(f"{target.name}: the suffix must be one of {', '.join(by_suffix)}.")
        document = read(source, _options(source_units, positions))
        chosen = _chosen_clips(document, clip_name, kind.many)
        proof = export(chosen, document.rig, target, kind.name, document, (), WriteOptions(frame, UNITS[units]), force)
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

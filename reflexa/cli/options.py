"""Options that several commands share, each group handed over as one value; and how errors are told."""

from __future__ import annotations

import copy
import functools
import inspect
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click

from reflexa import log
from reflexa.batch.pool import Processes, Share
from reflexa.errors import ReflexaError
from reflexa.formats import Format, ReadOptions, WriteOptions, by_suffix, writable
from reflexa.formats.imported import FACINGS, UNITS
from reflexa.output.manifest import MANIFEST
from reflexa.progress import Progress

Command = Callable[..., Any]


@dataclass(frozen=True)
class Talk:
    """How much is said: nothing but errors, or more on the way; one JSON document on standard output."""

    quiet: bool = False
    verbose: bool = False
    as_json: bool = False


@dataclass(frozen=True)
class Reading:
    """How sources are read, and the rigs given beside."""

    options: ReadOptions
    rigs: tuple[Path, ...]


@dataclass(frozen=True)
class Writing:
    """How results are written."""

    options: WriteOptions
    force: bool


def grouped(options: Sequence[Callable[[Command], Command]], name: str, make: Callable[..., Any]) -> Callable[..., Any]:
    """A decorator that adds options to a command and hands them over as one value under a name. make takes the options'
    own names as keywords."""
    taken = list(inspect.signature(make).parameters)

    def decorate(f: Command) -> Command:
        @functools.wraps(f)
        def call(*args: Any, **given: Any) -> Any:
            own = {k: given.pop(k) for k in taken}
            return f(*args, **given, **{name: make(**own)})

        out: Command = call
        for option in reversed(options):
            out = option(out)
        return out

    return decorate


def _without_manifests(_: click.Context, __: click.Parameter, given: tuple[Path, ...]) -> tuple[Path, ...]:
    """Whoever gives a whole folder of exports means the clips; a manifest alone is told what it is."""
    return tuple(p for p in given if not p.name.endswith(MANIFEST)) or given


def format_of(path: Path) -> Format:
    """The format that a file to be written has by its suffix. Raises UsageError where none is written under it."""
    kind = by_suffix(path)
    if kind is None or kind.encode is None:
        known = ", ".join(f.suffix for f in writable())
        raise click.UsageError(f"{path.name}: the suffix must be one of {known}.")
    return kind


clip_files = click.argument(
    "clips", nargs=-1, required=True, type=click.Path(path_type=Path), callback=_without_manifests
)


def _talk(quiet: bool, verbose: bool) -> Talk:
    log.tell_also(verbose)
    return Talk(quiet, verbose)


def _talk_json(quiet: bool, verbose: bool, as_json: bool) -> Talk:
    log.tell_also(verbose)
    return Talk(quiet, verbose, as_json)


_QUIET = click.option("--quiet", is_flag=True, help="Print errors only.")
_VERBOSE = click.option("--verbose", is_flag=True, help="Print more details, including the log.")
_JSON = click.option("--json", "as_json", is_flag=True, help="One JSON document on standard output.")
talking = grouped((_QUIET, _VERBOSE), "talk", _talk)
talking_json = grouped((_JSON, _QUIET, _VERBOSE), "talk", _talk_json)


def _reading(source_units: str | None, facing: str, positions: str, rigs: tuple[Path, ...]) -> Reading:
    unit = UNITS[source_units] if source_units else None
    return Reading(ReadOptions(unit, positions, facing, rigs), rigs)


reading = grouped(
    (
        click.option(
            "--source-units", type=click.Choice(list(UNITS)), help="The unit of a source that does not declare one (BVH)."
        ),
        click.option(
            "--source-facing", "facing", default="", type=click.Choice(["", *FACINGS]),
            help="The direction in which the figure faces in the file, if it was detected wrongly.",
        ),
        click.option(
            "--positions", type=click.Choice(["auto", "replace", "add"]), default="auto", show_default=True,
            help="Whether position channels of a BVH joint replace its offset or add to it.",
        ),
        click.option(
            "--rig", "rigs", multiple=True, metavar="FILE", type=click.Path(path_type=Path),
            help="A target rig (any model or clip file), a rig document (.rig.json), or the skeleton of a "
                 "motion file. Can be given several times.",
        ),
    ),
    "source", _reading,
)  # fmt: skip


def _writing(frame: str, units: str, channels: str | None, force: bool) -> Writing:
    return Writing(WriteOptions(frame, UNITS[units], order=channels or ""), force)


writing = grouped(
    (
        click.option(
            "--frame", type=click.Choice(["source", "clean"]), default="source", show_default=True,
            help="Axes and units of the written file. source: like the source file. clean: the standard of the "
                 "format.",
        ),
        click.option(
            "--units", type=click.Choice(list(UNITS)), default="m", show_default=True,
                help="The unit of a BVH file written with --frame clean."
        ),
        click.option(
            "--channels", type=click.Choice(["XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"]),
            help="The order of the rotation channels of a BVH file. Default: as in the source, else ZXY.",
        ),
        click.option("--force", is_flag=True, help="Overwrite existing files."),
    ),
    "target", _writing,
)  # fmt: skip

staged = click.option(
    "--stage", "stage_file", metavar="FILE", type=click.Path(path_type=Path),
    help="The stage: a stage document (.stage.json), or a GLB mesh as one prop. Feet stand on it and hands "
         "reach its grips.",
)  # fmt: skip


clustered = click.option(
    "--cluster", "cluster", metavar="ADDRESS", default="",
    help="Have the work done by the workers of a Dask scheduler (tcp://HOST:PORT), or by so many started here for it (local:4). "
    "Files go there as bytes, results come back so.",
)  # fmt: skip


@contextmanager
def sharing(cluster: str, jobs: int) -> Iterator[Share]:
    """How work is shared out: over a cluster where one is named, else over processes here. Raises ClusterError."""
    if not cluster:
        yield Processes(jobs)
        return
    from reflexa.batch.cluster import Cluster

    with Cluster(cluster, lambda text: click.echo(text, err=True)) as found:
        yield found


looping = click.option(
    "--loop/--no-loop", "loop", default=None, help="Treat clips as loops (or not), regardless of their files."
)  # fmt: skip


def inputs_of(*paths: Path | None) -> tuple[Path, ...]:
    """Every file that a command reads: none of them is written over, whatever ``--force`` says."""
    return tuple(p for p in paths if p is not None)


def result(talk: Talk, line: str, plain: Any) -> None:
    """What came of a command: a line on standard output, or with ``--json`` plain data as the one document there."""
    if talk.as_json:
        click.echo(json.dumps(plain, indent=2))
    elif not talk.quiet:
        click.echo(line)


def bar_on_terminal(*columns: Any, talk: Talk, console: Any) -> Any:
    """Progress on standard error where that is a terminal. Lines go above it where they go to the terminal too, and straight to
    where they are wanted else."""
    from rich.progress import Progress as Bar

    return Bar(
        *columns, console=console, disable=talk.quiet or not console.is_terminal, transient=True,
        redirect_stdout=sys.stdout.isatty(), redirect_stderr=sys.stderr.isatty(),
    )  # fmt: skip


def of_file(error: ReflexaError, path: Path) -> ReflexaError:
    """An error that one of many files met, which names it."""
    if str(path) in str(error):
        return error
    named: ReflexaError = copy.copy(error)
    named.path = str(path)
    named.place = ", ".join(w for w in (error.path, error.place) if w)
    return named


def tell(error: ReflexaError) -> None:
    """An error that concerns one of several things: said, and the command goes on. What is done in a view of the window is done
    in a rig document here."""
    said = (
        str(error).replace("in the Figure view or a rig file", _IN_DOCUMENT).replace("in the Figure view", _IN_DOCUMENT)
    )
    click.echo(f"error: {said}", err=True)


_IN_DOCUMENT = "in a rig document (reflexa rig FILE --out FILE.rig.json), and give it with --rig"


@contextmanager
def shown_progress(title: str, talk: Talk) -> Iterator[Progress]:
    """Progress on a terminal, unless nothing is to be said: what work tells how far it is."""
    from rich.console import Console

    with bar_on_terminal(talk=talk, console=Console(stderr=True, highlight=False)) as bar:
        task = bar.add_task(title, total=1.0)

        def tell(text: str, part: float) -> None:
            bar.update(task, completed=part, description=f"{title}  {text[:50]}")

        yield tell


def stops(f: Command) -> Command:
    """A command that an error meant for a person ends, with its exit status."""

    @functools.wraps(f)
    def call(*args: Any, **given: Any) -> Any:
        try:
            return f(*args, **given)
        except ReflexaError as e:
            tell(e)
            sys.exit(e.exit_status)

    return call

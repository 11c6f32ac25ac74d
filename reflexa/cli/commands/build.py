"""``reflexa build``: what of a project is out of date, exported anew."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn

from reflexa.batch.build import NEVER_BUILT, Built, Made, Plan, Planned, build, default_out, plan
from reflexa.batch.pool import Share
from reflexa.checks.judging.junit import Case, cases
from reflexa.cli.options import Talk, bar_on_terminal, clustered, grouped, sharing, shown_progress, stops, talking_json
from reflexa.errors import WriteError
from reflexa.formats.files import write_bytes
from reflexa.motion import threads
from reflexa.review.set_page import MARK, Outcome, kept, set_page
from reflexa.take.families import values_of
from reflexa.words import counted


@dataclass(frozen=True)
class _Choices:
    out: Path | None
    jobs: int
    only: tuple[str, ...]
    dry_run: bool
    watch: bool
    check: bool
    force: bool
    form: str
    report: Path | None
    cluster: str


_OPTIONS = (
    click.option("--out", metavar="DIR", type=click.Path(path_type=Path),
        help="The output folder. Default: `build` in the project."),
    click.option(
        "--jobs", type=click.IntRange(1), default=threads.cores(), show_default="all cores",
            help="How many takes are built at the same time."
    ),
    click.option("--only", metavar="NAME", multiple=True,
        help="Only this take with its variations, or the takes of this folder (repeatable)."),
    click.option("--dry-run", is_flag=True, help="Show what would be built and why, without building."),
    click.option("--watch", is_flag=True, help="Build again whenever the project changes, until Ctrl-C."),
    click.option("--check", is_flag=True, help="Exit with status 1 if findings are left that are not accepted."),
    click.option("--force", is_flag=True, help="Also overwrite files that were changed or added by someone else."),
    click.option(
        "--format", "form", type=click.Choice(["text", "json", "junit"]), default="text", show_default=True,
        help="junit: XML for build servers, on standard output.",
    ),
    click.option(
        "--report", metavar="PAGE.html", type=click.Path(path_type=Path),
        help="Also write one page of the set: every clip moving, its findings, and what changed since the last build.",
    ),
    clustered,
)  # fmt: skip

EXAMPLES = (
    "reflexa build . --dry-run",
    "reflexa build .",
    "reflexa build . --out built --format junit > built.xml",
    "reflexa build . --report set.html",
)


@click.command("build")
@click.argument("project", type=click.Path(path_type=Path))
@grouped(_OPTIONS, "choices", _Choices)
@talking_json
@stops
def COMMAND(project: Path, choices: _Choices, talk: Talk) -> None:
    """Export every take of a project that is out of date, and nothing else, and say why. Files that others have changed are left
    alone. A build that is cut off goes on where it was."""
    form = "json" if talk.as_json else choices.form
    out = choices.out if choices.out is not None else default_out(project)
    if choices.report is not None:
        if choices.dry_run:
            raise click.UsageError("--report shows what was built: leave out --dry-run.")
        _ours_to_write(choices.report, choices.force)
    with sharing("" if choices.dry_run else choices.cluster, choices.jobs) as share:
        while True:
            status = _reported(plan(project, out, choices.force, choices.only), share, choices, form, talk)
            if not choices.watch:
                break
            if not talk.quiet:
                click.echo("Waiting for changes; Ctrl-C ends it.", err=True)
            _wait_for_changes(project, out)
    sys.exit(status)


@dataclass
class _Result:
    """What became of it all."""

    todo: Plan
    made: list[tuple[Planned, Made]] = field(default_factory=list)

    @property
    def known(self) -> dict[str, Built]:
        """What is known of every take now, by name."""
        out = {b.name: b for b in self.todo.known.values()}
        return out | {p.take.name: m.built for p, m in self.made if m.built is not None}

    @property
    def findings(self) -> dict[str, tuple[str, ...]]:
        """What is left in takes of the project, by name."""
        known = self.known
        return {p.take.name: known[p.take.name].findings for p in self.todo.takes if p.take.name in known}

    def status(self, check: bool) -> int:
        """The exit status. check: findings that are left count."""
        errors = [m.error.exit_status for _, m in self.made if m.error is not None]
        errors += [p.held.exit_status for p in self.todo.takes if p.held is not None]
        if errors:
            return max(errors)
        return 1 if check and any(self.findings.values()) else 0


def _reported(todo: Plan, share: Share, choices: _Choices, form: str, talk: Talk) -> int:
    """Build once, and write the page of it where that is wanted."""
    if choices.report is None:
        return _once(todo, share, choices, form, talk).status(choices.check)
    with kept(todo.out / f for p in todo.due for f in p.files) as before:
        result = _once(todo, share, choices, form, talk)
        outcomes = _outcomes(result)
        with shown_progress("Report", talk) as progress:
            page = set_page(f"{todo.project.name}: build", outcomes, before, progress)
    write_bytes(choices.report, page, overwrite=True)
    if not talk.quiet:
        click.echo(f"{choices.report}: {counted(len(todo.takes), 'take')}", err=form != "text")
    return result.status(choices.check)


def _ours_to_write(path: Path, force: bool) -> None:
    """Raises WriteError where something else than an older report is there."""
    if path.exists() and not force and not (path.is_file() and MARK in path.read_bytes()[:2000]):
        raise WriteError("exists already and is no build report", path, advice="Choose another name, or use --force.")


def _outcomes(result: _Result) -> list[Outcome]:
    made = {p.take.name: m for p, m in result.made}
    was = {b.name: b.findings for b in result.todo.known.values()}
    out = []
    for p in result.todo.takes:
        name, done = p.take.name, made.get(p.take.name)
        status, why = "up to date", ""
        if p.held is not None:
            status, why = "not touched", str(p.held)
        elif done is not None:
            status, why = ("built", _because(p)) if done.error is None else ("failed", str(done.error))
        files = tuple(result.todo.out / f for f in p.files)
        out.append(Outcome(name, status, why, files, result.findings.get(name, ()), was.get(name)))
    return out


def _once(todo: Plan, share: Share, choices: _Choices, form: str, talk: Talk) -> _Result:
    result = _Result(todo)
    talks = form == "text" and not talk.quiet
    for p in todo.takes:
        if p.held:
            click.echo(f"{p.take.name}: not touched, {p.held}", err=True)
        elif p.why and (choices.dry_run or talk.verbose):
            click.echo(f"{p.take.name}: {'; '.join(p.why)}", err=not choices.dry_run or form != "text")
    if not choices.dry_run:
        for planned, made in _told(todo, share, form, talk):
            result.made.append((planned, made))
        order = [p.take.name for p in todo.takes]
        result.made.sort(key=lambda done: order.index(done[0].take.name))  # the same, however many work at it
    if talks:
        click.echo(_said(result, choices.dry_run))
        for name, texts in result.findings.items() if choices.check else ():
            for text in texts:
                click.echo(f"{name}: {text}")
    if form == "json":
        click.echo(json.dumps(_plain(result), indent=2))
    elif form == "junit":
        click.echo(cases("reflexa build", _cases(result, choices.check)), nl=False)
    return result


def _because(planned: Planned) -> str:
    return "first build" if planned.why == (NEVER_BUILT,) else "; ".join(planned.why)


def _told(todo: Plan, share: Share, form: str, talk: Talk) -> Iterator[tuple[Planned, Made]]:
    console = Console(stderr=True, highlight=False)
    columns = (TextColumn("Building"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with bar_on_terminal(*columns, talk=talk, console=console) as bar:
        task = bar.add_task("Building", total=len(todo.due))
        for planned, made in build(todo, share):
            bar.advance(task)
            if made.error is not None:
                click.echo(f"error: {planned.take.name}: {made.error}", err=True)
            elif not talk.quiet:
                click.echo(f"built {', '.join(planned.files)} ({_because(planned)})", err=form != "text")
            yield planned, made


def _said(result: _Result, dry: bool) -> str:
    fresh = sum(not p.why and not p.held for p in result.todo.takes)
    good = len(result.todo.due) if dry else sum(m.error is None for _, m in result.made)
    held, bad = sum(bool(p.held) for p in result.todo.takes), sum(m.error is not None for _, m in result.made)
    parts = [f"{good} {'to be built' if dry else 'built'}", f"{fresh} up to date"]
    parts += [f"{held} not touched"] * bool(held) + [f"{bad} failed"] * bool(bad)
    if result.todo.gone:
        parts.append(f"of takes that no longer exist: {', '.join(result.todo.gone[:4])}")
    return f"{', '.join(parts)}."


def _plain(result: _Result) -> dict[str, Any]:
    findings = result.findings
    return {
        "out": str(result.todo.out),
        "due": [{"take": p.take.name, "files": list(p.files), "why": list(p.why)} for p in result.todo.due],
        "built": [
            {"take": p.take.name, "files": sorted(m.built.outputs), "why": list(p.why), "seconds": round(m.seconds, 3),
             "findings": list(m.built.findings)}
            for p, m in result.made if m.built is not None
        ],
        "failed": [{"take": p.take.name, "error": str(m.error)} for p, m in result.made if m.error is not None],
        "up_to_date": [p.take.name for p in result.todo.takes if not p.why and not p.held],
        "left_alone": [{"take": p.take.name, "why": str(p.held)} for p in result.todo.takes if p.held],
        "gone": list(result.todo.gone),
        "sets": _sets(result.todo),
        "findings": {name: list(texts) for name, texts in findings.items() if texts},
    }  # fmt: skip


def _sets(todo: Plan) -> dict[str, list[dict[str, Any]]]:
    """Variations by the take that they follow: the name and own values of each."""
    parents = {t.id: t.name for t in todo.project.takes if t.id}
    out: dict[str, list[dict[str, Any]]] = {}
    for take in todo.project.takes:
        if take.varies is not None and take.varies.of in parents:
            values = {f"{step}.{setting}": value for step, setting, value in values_of(take)}
            out.setdefault(parents[take.varies.of], []).append({"take": take.name, "values": values})
    return out


def _cases(result: _Result, check: bool) -> list[Case]:
    errors = {p.take.name: str(m.error) for p, m in result.made if m.error is not None}
    errors |= {p.take.name: str(p.held) for p in result.todo.takes if p.held}
    findings = result.findings if check else {}
    return [
        Case(p.take.name, "build", errors.get(p.take.name, ""), tuple(findings.get(p.take.name, ())))
        for p in result.todo.takes
    ]


def _wait_for_changes(project: Path, out: Path) -> None:
    from watchfiles import watch

    inside = out.resolve()
    for changes in watch(project, watch_filter=None, debounce=800, step=200, raise_interrupt=True):
        if any(not Path(p).resolve().is_relative_to(inside) and "/.reflexa/" not in p for _, p in changes):
            return

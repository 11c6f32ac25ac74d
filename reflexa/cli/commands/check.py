"""``reflexa check``: findings."""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click

from reflexa.batch.rigs import load
from reflexa.checks import Finding, Subject, grouped, look, measured, stances
from reflexa.checks.judging.junit import Looked, junit
from reflexa.checks.judging.thresholds import read_thresholds
from reflexa.cli.options import Reading, Talk, clip_files, looping, reading, staged, stops, talking_json, tell
from reflexa.errors import ReflexaError
from reflexa.formats import read
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.steps import SOURCE

EXAMPLES = (
    "reflexa check clips/walk.bvh",
    "reflexa check clips/step-up.glb --stage jetty.stage.json --json",
    "reflexa check clips/*.bvh --format junit > findings.xml",
)


@click.command("check")
@clip_files
@click.option(
    "--thresholds", "thresholds_file", metavar="FILE", type=click.Path(path_type=Path),
    help="A file with your own thresholds. `reflexa thresholds` prints one to start from.",
)  # fmt: skip
@click.option(
    "--format", "form", type=click.Choice(["text", "json", "junit"]), default="text", show_default=True,
    help="junit: XML for build servers, on standard output.",
)  # fmt: skip
@looping
@reading
@staged
@talking_json
@stops
def COMMAND(
    clips: tuple[Path, ...], thresholds_file: Path | None, form: str, loop: bool | None, source: Reading,
    stage_file: Path | None, talk: Talk,
) -> None:  # fmt: skip
    """Measure what looks wrong in clips. Exit status 1 where something was found. --verbose tells every span of time."""
    form = "json" if talk.as_json else form
    status, looked, told = 0, [], _Told(talk, form == "text" and not talk.quiet)
    stage = read_stage(stage_file) if stage_file is not None else EMPTY
    limits = read_thresholds(thresholds_file) if thresholds_file is not None else {}
    for path in clips:
        try:
            document = read(path, source.options)
            rig = load(source.rigs).known(document.rig)
        except ReflexaError as e:
            tell(e)
            status = max(status, e.exit_status)
            looked.append(Looked(str(path), error=str(e)))
            continue
        for clip in document.clips:
            own = clip if loop is None else replace(clip, loop=loop)
            subject = Subject(own, rig, stage, limits=limits, notes=document.notes_on(clip.name))
            found = [replace(f, step=SOURCE) for f in look(subject)]
            status = max(status, 1 if found else 0)
            looked.append(Looked(str(path), clip.name, tuple(found)))
            told.clip(path, subject, found)
    if form == "json":
        click.echo(json.dumps(told.plain(), indent=2))
    elif form == "junit":
        click.echo(junit(looked), nl=False)
    elif status == 0 and told.talks:
        click.echo("Nothing found.")
    sys.exit(status)


class _Told:
    """What is said of one clip after the other, and kept for the document."""

    def __init__(self, talk: Talk, talks: bool) -> None:
        self.talks, self._verbose = talks, talk.verbose
        self._clips: list[dict[str, Any]] = []
        self._sizes: list[dict[str, Any]] = []

    def clip(self, path: Path, subject: Subject, found: list[Finding]) -> None:
        clip, head = subject.clip, {"path": str(path), "clip": subject.clip.name}
        numbers = measured(clip, subject.rig, subject.stage)
        self._sizes.append({**head, **{n: asdict(m) for n, m in numbers.items()}, "unit": "cm"})
        stood = [s.plain() for s in stances(subject)]
        self._clips.append({**head, "findings": [f.plain() for f in found], "stances": stood})
        if not self.talks:
            return
        said = (
            f"{name} {m.size:.1f} cm" + (f" ({m.joint}, frame {m.worst})" if m.size >= 0.05 else "")
            for name, m in numbers.items()
        )
        name = f"{path}, {clip.name}"
        click.echo(f"{name}: {', '.join(said)}")
        for group in grouped(found, subject.rig, clip.rate):
            f, more = group.worst, len(group.findings) - 1
            also = f" (and {more} more, {group.seconds:.2f} s in all)" if more else ""
            click.echo(f"{name}, frames {f.frames[0]} to {f.frames[1]}: {f.text}{also}")
            for other in group.findings[1:] if self._verbose else ():
                click.echo(f"{name}, frames {other.frames[0]} to {other.frames[1]}: {other.text}")

    def plain(self) -> Mapping[str, Any]:
        """clips: each with its findings and stances. findings: those of all clips in one list."""
        flat = [{"path": c["path"], "clip": c["clip"], **f} for c in self._clips for f in c["findings"]]
        return {"clips": self._clips, "findings": flat, "measured": self._sizes}

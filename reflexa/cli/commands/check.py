"""``reflexa check``: findings."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path

import click

from reflexa.batch.rigs import load
from reflexa.checks import findings, measured
from reflexa.cli.options import Reading, Talk, reading, staged, stops, talking_json, tell
from reflexa.errors import ReflexaError
from reflexa.formats import read
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage


@click.command("check")
@click.argument("clips", nargs=-1, required=True, type=click.Path(path_type=Path))
@reading
@staged
@talking_json
@stops
def COMMAND(clips: tuple[Path, ...], source: Reading, stage_file: Path | None, talk: Talk) -> None:
    """Measure what looks wrong in clips. Exit status 1 where something was found."""
    status, found, sizes = 0, [], []
    talks = not talk.as_json and not talk.quiet
    stage = read_stage(stage_file) if stage_file is not None else EMPTY
    for path in clips:
        try:
            document = read(path, source.options)
            rig = load(source.rigs).known(document.rig)
        except ReflexaError as e:
            tell(e)
            status = max(status, e.exit_status)
            continue
        for clip in document.clips:
            numbers = measured(clip, rig, stage)
            sizes.append(
                {"path": str(path), "clip": clip.name, **{n: asdict(m) for n, m in numbers.items()}, "unit": "cm"}
            )
            if talks:
                said = (
                    f"{name} {m.size:.1f} cm" + (f" ({m.joint}, frame {m.worst})" if m.size >= 0.05 else "")
                    for name, m in numbers.items()
                )  # fmt: skip
                click.echo(f"{path}, {clip.name}: {', '.join(said)}")
            for f in findings(clip, rig, stage):
                status = max(status, 1)
                found.append({"path": str(path), "clip": clip.name, **f.plain()})
                if talks:
                    click.echo(f"{path}, {clip.name}, frames {f.frames[0]} to {f.frames[1]}: {f.text}")
    if talk.as_json:
        click.echo(json.dumps({"findings": found, "measured": sizes}, indent=2))
    elif not found and status == 0 and talks:
        click.echo("Nothing found.")
    sys.exit(status)

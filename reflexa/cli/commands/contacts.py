"""``reflexa contacts``: what touches what in clips."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from reflexa.batch.rigs import load
from reflexa.cli.options import Reading, Talk, clip_files, reading, staged, stops, talking_json, tell
from reflexa.contacts.find import described
from reflexa.errors import ReflexaError
from reflexa.formats import read
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage

EXAMPLES = ("reflexa contacts clips/walk.bvh", "reflexa contacts clips/step-up.glb --stage jetty.stage.json --json")


@click.command("contacts")
@clip_files
@reading
@staged
@talking_json
@stops
def COMMAND(clips: tuple[Path, ...], source: Reading, stage_file: Path | None, talk: Talk) -> None:
    """Contacts and relations that are found in clips: feet, hands, knees and seat on the ground or on props, hands on each other
    and on the body."""
    status = 0
    out: list[dict[str, Any]] = []
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
            found = described(clip, rig, stage)
            out.append({"path": str(path), "clip": clip.name, "contacts": [c.plain() for c in found]})
            if talk.as_json or talk.quiet:
                continue
            click.echo(f"{path}, {clip.name}: {len(found)} contacts" if found else f"{path}, {clip.name}: no contacts")
            for c in found:
                click.echo(
                    f"  {c.part} on {c.other}, frames {c.first} to {c.last} (weight {c.weight:.2f}, {c.sure:.0%} sure)"
                )
    if talk.as_json:
        click.echo(json.dumps({"clips": out}, indent=2))
    sys.exit(status)

"""``reflexa info``: what is in a file."""

from __future__ import annotations

import json
import sys
from dataclasses import replace
from pathlib import Path

import click

from reflexa import describe
from reflexa.batch.rigs import load
from reflexa.cli.options import Reading, Talk, reading, talking_json, tell
from reflexa.errors import ReflexaError
from reflexa.formats import read
from reflexa.rig.problems import problems

EXAMPLES = (
    "reflexa info clips/walk.bvh",
    "reflexa info clips/walk.bvh --source-units m --json",
    "reflexa info sources/*.glb",
)


@click.command("info")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@reading
@talking_json
def COMMAND(files: tuple[Path, ...], source: Reading, talk: Talk) -> None:
    """What is in clip or rig files."""
    status = 0
    found = []
    for path in files:
        try:
            document = read(path, source.options)
            document = replace(document, rig=load(source.rigs).known(document.rig))
        except ReflexaError as e:
            tell(e)
            status = max(status, e.exit_status)
            continue
        if talk.as_json:
            found.append(describe.plain(document))
            continue
        click.echo(str(path))
        for line in describe.lines(document):
            click.echo(f"  {line}")
        if talk.verbose:
            for part, names in document.rig.body_map.items():
                how = document.rig.found[part]
                click.echo(f"    {part}: {', '.join(names)} (by {how.by}, {how.sure:.0%} sure)")
            for problem in problems(document.rig):
                click.echo(f"    {problem.text}")
    if talk.as_json:
        click.echo(json.dumps({"files": found}, indent=2))
    sys.exit(status)

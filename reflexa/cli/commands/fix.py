"""``reflexa fix``: the steps that repair what is found, put in where they help."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click

from reflexa.batch.rigs import load
from reflexa.batch.run import FileJob, How, planned
from reflexa.checks.judging.fix import fix
from reflexa.checks.judging.thresholds import read_thresholds
from reflexa.cli.options import (
    Reading,
    Talk,
    Writing,
    clip_files,
    inputs_of,
    looping,
    reading,
    staged,
    stops,
    talking_json,
    tell,
    writing,
)
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, read
from reflexa.output.hand_over import HandedOver
from reflexa.output.manifest import Origin
from reflexa.output.naming import refuse_clashes, result_name, written_as
from reflexa.output.takes import Into, write_clips
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.take import Source, Take
from reflexa.take.recipe import Recipe
from reflexa.words import counted

EXAMPLES = ("reflexa fix clips/skating.bvh --out fixed",)


@click.command("fix")
@clip_files
@click.option("--out", required=True, metavar="DIR", type=click.Path(path_type=Path), help="The output folder.")
@click.option(
    "--thresholds",
    "thresholds_file",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="A file with your own thresholds.",
)
@looping
@reading
@writing
@staged
@talking_json
@stops
def COMMAND(
    clips: tuple[Path, ...], out: Path, thresholds_file: Path | None, loop: bool | None, source: Reading, target: Writing,
    stage_file: Path | None, talk: Talk,
) -> None:  # fmt: skip
    """Try the repair of everything that is found, the big ones first; keep those that help and make nothing else worse, and write
    the clips that got any. Says what helped, by how much, and what is left."""
    stage = read_stage(stage_file) if stage_file is not None else EMPTY
    limits = read_thresholds(thresholds_file) if thresholds_file is not None else {}
    inputs = inputs_of(*clips, *source.rigs, stage_file, thresholds_file)
    how = How(Recipe(""), None, "", source.options, target.options, target.force, source.rigs, inputs=inputs)
    refuse_clashes(planned(FileJob(path, out, how)) for path in clips)
    status, said = 0, list[dict[str, Any]]()
    for path in clips:
        try:
            document = read(path, source.options)
            if not document.clips:
                raise ReadError("contains a rig but no clip", document.path)
            given = load(source.rigs)
            rig = given.known(document.rig)
            kind = written_as(FORMATS[document.format])
            for clip in document.clips:
                own = clip if loop is None else replace(clip, loop=loop)
                take = Take(clip.name, Source(path.name, clip.name), stage=stage)
                done = fix(take, (own, rig), limits=limits, notes=document.notes_on(clip.name))
                entry: dict[str, Any] = {
                    "path": str(path), "clip": clip.name, "tried": [asdict(t) for t in done.tried],
                    "left": [f.plain() for f in done.left], "written": "",
                }  # fmt: skip
                if any(t.kept for t in done.tried):
                    name = result_name("", path.stem, clip.name, "", len(document.clips) > 1)
                    into = Into(
                        out, target.force, format=kind.name, options=target.options, inputs=inputs
                    )  # fmt: skip
                    origin = Origin(document, done.take.steps, document, (done.line, done.judged))
                    (proof,) = write_clips(
                        name, HandedOver([replace(done.line.result, name=clip.name)]), rig, into, origin
                    )
                    entry["written"] = str(proof.path)
                said.append(entry)
                _tell(entry, [t.text for t in done.tried], talk)
        except ReflexaError as e:
            tell(e)
            status = max(status, e.exit_status)
    if talk.as_json:
        click.echo(json.dumps({"clips": said}, indent=2))
    sys.exit(status)


def _tell(entry: dict[str, Any], tried: list[str], talk: Talk) -> None:
    if talk.as_json or talk.quiet:
        return
    name = f"{entry['path']}, {entry['clip']}"
    for text in tried:
        click.echo(f"{name}: {text}")
    left = len(entry["left"])
    more = f"{counted(left, 'finding')} left" if left else "no findings are left"
    click.echo(
        f"{name}: {more}{', ' + entry['written'] if entry['written'] else '; nothing was fixed, so no file was written'}"
    )

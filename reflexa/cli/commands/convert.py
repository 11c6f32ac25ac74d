"""``reflexa convert``: format to format."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from reflexa.batch.rigs import load, model_of, onto_given_rig
from reflexa.cli.options import (
    Reading,
    Talk,
    Writing,
    format_of,
    inputs_of,
    looping,
    reading,
    result,
    stops,
    talking_json,
    writing,
)
from reflexa.errors import ReadError
from reflexa.formats import Imported, read
from reflexa.motion.clip import Clip
from reflexa.output.manifest import Origin, Target
from reflexa.output.write import write

EXAMPLES = (
    "reflexa convert clips/walk.bvh walk.glb",
    "reflexa convert clips/step-up.glb clean.glb --frame clean",
)


@click.command("convert")
@click.argument("source_file", metavar="IN", type=click.Path(path_type=Path))
@click.argument("target_file", metavar="OUT", type=click.Path(path_type=Path))
@click.option(
    "--clip", "clip_name", help="The clip to convert, if the source has several and the target format holds one."
)
@looping
@reading
@writing
@talking_json
@stops
def COMMAND(
    source_file: Path, target_file: Path, clip_name: str | None, loop: bool | None, source: Reading, target: Writing,
    talk: Talk,
) -> None:  # fmt: skip
    """Format to format, with no steps. The target's suffix says which format."""
    kind = format_of(target_file)
    document = read(source_file, source.options)
    chosen = [
        replace(c, loop=c.loop if loop is None else loop) for c in _chosen(document, clip_name, kind.several_clips)
    ]
    given = load(source.rigs)
    moved = [onto_given_rig(c, document.rig, given) for c in chosen]
    rig = moved[0][1]
    model = document if rig is document.rig else model_of(rig, given)
    to = Target(target_file, kind.name, target.options, target.force, inputs_of(source_file, *source.rigs))
    proof = write([c for c, _ in moved], rig, to, Origin(document, (), model))
    result(talk, f"{proof.path}: {proof.said}", proof.plain)


def _chosen(document: Imported, name: str | None, many: bool) -> list[Clip]:
    if not document.clips:
        raise ReadError("contains a rig but no clip", document.path)
    names = ", ".join(document.clips.names)
    if name is not None:
        found = [c for c in [document.clips.named(name)] if c is not None]
        if not found:
            raise click.UsageError(f"{document.path.name} has no clip {name!r}; it has {names}.")
        return found
    if len(document.clips) > 1 and not many:
        raise click.UsageError(f"{document.path.name} has several clips ({names}); choose one with --clip.")
    return list(document.clips)

"""``reflexa rig``: what is known of a rig, as a document."""

from __future__ import annotations

from pathlib import Path

import click

from reflexa.batch.rigs import load
from reflexa.cli.options import Reading, Talk, inputs_of, reading, result, stops, talking_json
from reflexa.formats import read
from reflexa.formats.files import write_bytes
from reflexa.formats.rigfile import RigDocument
from reflexa.formats.text import pretty
from reflexa.output.write import free
from reflexa.rig.notes import notes_of
from reflexa.rig.problems import problems

EXAMPLES = ("reflexa rig sources/ferrykeeper.glb --out ferrykeeper.rig.json",)


@click.command("rig")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), help="The file to write. Default: standard output.")
@click.option("--force", is_flag=True, help="Overwrite an existing file.")
@reading
@talking_json
@stops
def COMMAND(file: Path, out: Path | None, force: bool, source: Reading, talk: Talk) -> None:
    """Write what is known of a rig as a document: body map, pairs, centre line, helper rules, skeleton.

    Correct it by hand or in the window, and give it back with --rig.
    """
    known = load(source.rigs).known(read(file, source.options).rig)
    text = pretty(RigDocument(file.stem, known.key, notes_of(known, with_joints=True)).plain())
    if out is None:
        click.echo(text, nl=False)
    else:
        free(out, force, inputs_of(file, *source.rigs))
        write_bytes(out, text.encode(), force)
        result(talk, str(out), {"file": str(out), "problems": [p.text for p in problems(known)]})
    if not talk.quiet:
        for problem in problems(known):
            click.echo(problem.text, err=True)

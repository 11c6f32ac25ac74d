"""``reflexa demo``: the demo project to try things on."""

from __future__ import annotations

from pathlib import Path

import click

from reflexa.cli.options import Talk, result, stops, talking_json
from reflexa.demo.try_out import copy_to_try

EXAMPLES = ("reflexa demo --copy ferry",)


@click.command("demo")
@click.option(
    "--copy", "folder", required=True, metavar="DIR", type=click.Path(path_type=Path), help="The folder to create."
)
@talking_json
@stops
def COMMAND(folder: Path, talk: Talk) -> None:
    """Copy the demo project, with clips, a stage and a recipe beside it. The examples in every --help work in that folder."""
    found = copy_to_try(folder)
    names = ", ".join(p.name for p in found)
    result(talk, f"{folder}: {names}", {"folder": str(folder), "holds": [p.name for p in found]})

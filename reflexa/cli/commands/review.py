"""``reflexa review``: one page that shows takes to whoever decides."""

from __future__ import annotations

from pathlib import Path

import click

from reflexa.cli.options import Reading, Talk, reading, result, stops, talking_json
from reflexa.review.page import save_page
from reflexa.review.subjects import subjects

EXAMPLES = ("reflexa review . clips/walk.bvh --out review.html",)


@click.command("review")
@click.argument("what", nargs=-1, required=True, metavar="CLIP|TAKE|PROJECT…")
@click.option("--out", required=True, metavar="PAGE.html", type=click.Path(path_type=Path), help="The page to write.")
@click.option("--title", default="", help="The title of the page.")
@click.option("--force", is_flag=True, help="Overwrite an existing page.")
@reading
@talking_json
@stops
def COMMAND(what: tuple[str, ...], out: Path, title: str, force: bool, source: Reading, talk: Talk) -> None:
    """Make one self-contained page of clips (FILE or FILE#CLIP), takes (PROJECT#TAKE) or whole projects: figures before and after
    played and orbited, findings, measures, steps in words. It opens from disk in any browser and
    asks no network for anything."""
    if out.suffix.lower() not in (".html", ".htm"):
        raise click.UsageError(f"{out.name}: the suffix must be .html.")
    found = [s for text in what for s in subjects(text, source.options)]
    path = save_page(found, out, title, force)
    many = f"{len(found)} takes" if len(found) > 1 else found[0].name
    bytes_ = path.stat().st_size
    result(
        talk,
        f"{path}: {many}, {bytes_ / 1e6:.2f} MB",
        {"file": str(path), "of": [s.name for s in found], "bytes": bytes_},
    )

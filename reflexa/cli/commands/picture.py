"""``reflexa picture``: a picture, a contact sheet, a moving picture."""

from __future__ import annotations

from pathlib import Path

import click

from reflexa.cli.options import Reading, Talk, reading, result, stops, talking_json
from reflexa.errors import ReadError
from reflexa.output.write import free
from reflexa.review.pictures import SUFFIXES, frames_said, save_frames, save_sheet
from reflexa.review.stills import Shot
from reflexa.review.subjects import subjects

EXAMPLES = (
    'reflexa picture ".#Walk along the quay" --out walk.png --both --frames 36',
    "reflexa picture clips/walk.bvh --out sheet.png --sheet 12",
)


@click.command("picture")
@click.argument("what", metavar="CLIP|TAKE")
@click.option(
    "--out",
    required=True,
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="A .png file, or a .webp file (animated).",
)
@click.option(
    "--frames",
    default="",
    help="For example 12, 0,10,20, 5-40 or 0-100/10. Default: the middle frame (.png) or all frames (.webp).",
)
@click.option("--sheet", "count", type=click.IntRange(1, 200), help="A contact sheet with this many frames.")
@click.option(
    "--view", default="", help="A saved view of the take, or front, back, left side, right side, top, three-quarter."
)
@click.option("--both", is_flag=True, help="Before and after, side by side.")
@click.option("--size", default="960x600", show_default=True, metavar="WxH", help="Pixels.")
@click.option("--dark", is_flag=True, help="Use the dark theme.")
@click.option("--plain", is_flag=True, help="Without name and frame numbers.")
@click.option("--force", is_flag=True, help="Overwrite existing files.")
@reading
@talking_json
@stops
def COMMAND(
    what: str, out: Path, frames: str, count: int | None, view: str, both: bool, size: str, dark: bool, plain: bool,
    force: bool, source: Reading, talk: Talk,
) -> None:  # fmt: skip
    """Draw a clip (FILE or FILE#CLIP) or a take (PROJECT#TAKE) without a display."""
    if out.suffix.lower() not in SUFFIXES:
        raise click.UsageError(f"{out.name}: the suffix must be one of {', '.join(SUFFIXES)}.")
    width, _, height = size.partition("x")
    if not (width.isdigit() and height.isdigit() and 16 <= int(width) <= 4096 and 16 <= int(height) <= 4096):
        raise click.UsageError(f"{size!r} is not a size. Use for example 960x600, with 16 to 4096 pixels per side.")
    free(out, force, [Path(what.partition("#")[0])])
    found = subjects(what, source.options)
    if len(found) > 1:
        raise ReadError(
            "holds several", what, advice=f"Choose one: {', '.join(f'{what}#{s.name}' for s in found[:8])}."
        )
    subject, shot = found[0], Shot(int(width), int(height), view, both, dark, not plain)
    clip = subject.after[0]
    if count is not None:
        written = save_sheet(subject, count, out, shot, force)
    else:
        moving = out.suffix.lower() == ".webp"
        chosen = (
            frames_said(frames, clip.frames) if frames else list(range(clip.frames)) if moving else [clip.frames // 2]
        )
        written = save_frames(subject, chosen, out, shot, force)
    more = f" and {len(written) - 1} more" if len(written) > 1 else ""
    result(talk, f"{written[0]}{more}", {"files": [str(p) for p in written]})

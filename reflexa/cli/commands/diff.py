"""``reflexa diff``: two clips in numbers."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import NoReturn

import click

from reflexa.cli.naming_clips import clip_of
from reflexa.cli.options import Reading, Talk, reading, stops, talking_json
from reflexa.errors import ReadError
from reflexa.formats import read
from reflexa.motion.clip import Clip
from reflexa.motion.compare import compare
from reflexa.project import store
from reflexa.review.changes import project_changes
from reflexa.review.subjects import subjects
from reflexa.words import counted

# As many joints are printed.
_MOST = 20

EXAMPLES = (
    "reflexa diff clips/walk.bvh clips/skating.bvh --mm 1 --degrees 0.5",
    "reflexa diff . .",
)


@click.command("diff")
@click.argument("first", metavar="A")
@click.argument("second", metavar="B")
@click.option(
    "--degrees", type=click.FloatRange(0), default=0.01, show_default=True, help="Ignore rotations up to this."
)
@click.option("--mm", type=click.FloatRange(0), default=0.1, show_default=True, help="Ignore moves up to this.")
@reading
@talking_json
@stops
def COMMAND(first: str, second: str, degrees: float, mm: float, source: Reading, talk: Talk) -> None:
    """Two clips, each a FILE, FILE#CLIP or PROJECT#TAKE, joint by joint: largest and mean turn and move, and at which frames. Two
    projects (folders) as sentences: what was added, removed, moved and set otherwise. Ends with 1 where they differ."""
    if Path(first).is_dir() and Path(second).is_dir():
        sys.exit(_projects(Path(first), Path(second), talk))
    clips = [_clip(text, source) for text in (first, second)]
    found = compare(*clips)
    differs = found.differs(degrees, mm)
    if talk.as_json:
        plain = {
            "differs": differs, "frames": list(found.frames), "only_in_a": list(found.only[0]), "only_in_b": list(found.only[1]),
            "joints": [{k: round(v, 6) if isinstance(v, float) else v for k, v in asdict(d).items()} for d in found.joints],
        }  # fmt: skip
        click.echo(json.dumps(plain, indent=2))
    elif not talk.quiet:
        if found.frames[0] != found.frames[1]:
            click.echo(f"{counted(found.frames[0], 'frame')} against {found.frames[1]}")
        for which, names in zip("AB", found.only, strict=True):
            if names:
                click.echo(f"only in {which}: {', '.join(names)}")
        off = [d for d in found.joints if d.turn > degrees or d.move > mm]
        for d in off[:_MOST]:
            click.echo(
                f"{d.joint}: rotates {d.turn:.2f}° at frame {d.turn_frame} (mean {d.mean_turn:.2f}°), moves "
                f"{d.move:.1f} mm at frame {d.move_frame} (mean {d.mean_move:.1f} mm)"
            )
        if len(off) > _MOST:
            click.echo(f"and {len(off) - _MOST} more joints")
        if not differs:
            click.echo("no difference")
    sys.exit(1 if differs else 0)


def _clip(text: str, source: Reading) -> Clip:
    path, _, name = text.partition("#")
    if Path(path).is_dir():
        (take,) = subjects(text) if name else _none(text)
        return take.after[0]
    return clip_of(read(Path(path), source.options), name)


def _none(text: str) -> NoReturn:
    raise ReadError("is a project: choose one of its takes", text, advice=f"As {text}#TAKE.")


def _projects(a: Path, b: Path, talk: Talk) -> int:
    said = project_changes(store.load(a), store.load(b))
    if talk.as_json:
        click.echo(json.dumps({"differs": bool(said), "changes": said}, indent=2, ensure_ascii=False))
    elif not talk.quiet:
        click.echo("\n".join(said) or "no difference")
    return 1 if said else 0

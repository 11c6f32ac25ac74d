"""``reflexa library``: library folders from scripts."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import click
import msgspec

from reflexa.cli.options import Command, Talk, grouped, result, shown_progress, stops, talking_json
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.library import notes as notes_
from reflexa.library.facts import GAITS
from reflexa.library.finder import Finder, Row
from reflexa.library.fits import FITS
from reflexa.library.folder_list import (
    LibraryFolder,
    LibraryFolders,
    load_folders,
    save_folders,
    with_folder,
    without_folder,
)
from reflexa.library.index import Index
from reflexa.library.notes import Notes, edit_notes, read_notes
from reflexa.library.query import SORTS, Query
from reflexa.library.scan import scan
from reflexa.words import counted

EXAMPLES = (
    "reflexa library add clips",
    "reflexa library search walk --fits by-rename --rig sources/deckhand.glb",
)


@click.group("library")
def COMMAND() -> None:
    """The clip library: folders of clips that are scanned and searched. Nothing in them is ever changed; tags, stars and sets
    lie beside each, as NAME.shelf.json."""


@COMMAND.command("add")
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--name", default="", help="The name of the library folder. Default: the name of the folder.")
@talking_json
@stops
def add(folder: Path, name: str, talk: Talk) -> None:
    """Make a folder a library folder. `reflexa library scan` then looks through it."""
    folders = with_folder(load_folders(), folder, name)
    save_folders(folders)
    found = next(s for s in folders.folders if s.folder == Path(os.path.abspath(folder)))
    result(talk, f"{found.name}: {found.folder}", {"name": found.name, "folder": str(found.folder)})


@COMMAND.command("remove")
@click.argument("name")
@talking_json
@stops
def remove(name: str, talk: Talk) -> None:
    """Take a library folder off the list. Its files, and what was said of them, stay."""
    save_folders(without_folder(load_folders(), name))
    result(talk, f"{name}: no longer a library folder", {"removed": name})


@COMMAND.command("list")
@talking_json
@stops
def list_(talk: Talk) -> None:
    """The library folders, and whether their folders are there."""
    rows = [{"name": s.name, "folder": str(s.folder), "there": s.folder.is_dir()} for s in load_folders().folders]
    if talk.as_json:
        click.echo(json.dumps({"folders": rows, "shelves": rows}, indent=2))
    for r in [] if talk.as_json else rows:
        click.echo(f"{r['name']}: {r['folder']}{'' if r['there'] else ' (not available)'}")


@COMMAND.command("scan")
@click.option("--jobs", type=click.IntRange(0), default=0, help="Number of processes. 0: one per core.")
@talking_json
@stops
def scan_(jobs: int, talk: Talk) -> None:
    """Look through every library folder, and read what is new or another since."""
    with closing(Index()) as index:
        with shown_progress("Scanning", talk) as told:
            out = scan(index, load_folders().folders, told, jobs)
        bad = [(Path(os.fsdecode(p)), str(e)) for p, e in index.rows("select path, error from files where error <> ''")]
    if talk.as_json:
        said: dict[str, Any] = {
            "files": out.files, "read": out.read, "unreadable": [{"path": str(p), "reason": e} for p, e in bad],
            "gone": out.gone, "folders": [{"path": str(p), "reason": e} for p, e in out.unreadable.items()], "away": out.away,
        }  # fmt: skip
        click.echo(json.dumps(said, indent=2))
        return
    if not talk.quiet:
        click.echo(f"{counted(out.files, 'file')}, {out.read} read, {out.gone} gone, {len(bad)} that cannot be read.")
        for library_folder in out.away:
            click.echo(f"{library_folder}: the folder is not available now. Its index is kept.", err=True)
        for folder, reason in out.unreadable.items():
            click.echo(f"{folder}: {reason}", err=True)
    for path, error in bad if talk.verbose else []:
        click.echo(f"{path}: {error}", err=True)


@dataclass(frozen=True)
class _Open:
    """What questions are asked of."""

    folders: LibraryFolders
    notes: dict[str, Notes]
    finder: Finder


@contextmanager
def _opened() -> Iterator[_Open]:
    folders = load_folders()
    with closing(Index()) as index:
        finder, known = Finder(index), {s.name: read_notes(s) for s in folders.folders}
        finder.know(folders, known)
        yield _Open(folders, known, finder)


def _yes_no(name: str, help: str) -> Callable[[Command], Command]:
    return click.option(f"--{name}/--no-{name}", name.replace("-", "_"), default=None, help=help)


@COMMAND.command("search")
@click.argument("words", nargs=-1)
@click.option("--fits", type=click.Choice(FITS), multiple=True, help="How clips fit --rig. Can be given several times.")
@click.option("--rig", metavar="FILE", type=click.Path(path_type=Path), help="The rig that clips should fit.")
@_yes_no("loop", "Only loops, or no loops.")
@_yes_no("travels", "Only clips that travel, or only clips in place.")
@_yes_no("faults", "Only clips with findings, or only clips without.")
@_yes_no(
    "untidy", "Only files with unapplied transforms, other units or facing, or missing pairs; or only files without."
)
@click.option("--unreadable", is_flag=True, help="Files that cannot be read, with the reason.")
@click.option("--gait", "gaits", type=click.Choice(GAITS), multiple=True, help="By speed.")
@click.option(
    "--side",
    "sides",
    type=click.Choice(["left", "right"]),
    multiple=True,
    help="By name, or by the hand that moves more.",
)
@click.option("--shortest", type=float, metavar="SECONDS")
@click.option("--longest", type=float, metavar="SECONDS")
@click.option("--tag", "tags", multiple=True)
@click.option("--stars", type=click.IntRange(0, 5), default=0, help="At least.")
@click.option("--set", "set_", default="", help="Clips of a set.")
@click.option("--folder", "--shelf", "library_folder", default="", help="One library folder only, by its name.")
@click.option("--twice", is_flag=True, help="Only motion that exists under several names.")
@click.option("--sort", type=click.Choice(list(SORTS)), default="name", show_default=True)
@talking_json
@stops
def search(words: tuple[str, ...], rig: Path | None, set_: str, talk: Talk, **given: Any) -> None:
    """Find clips: every word begins something that is said of them (names, folders, tags, events, rigs)."""
    query = msgspec.structs.replace(Query(), text=" ".join(words), set=set_, **given)
    if query.fits and rig is None:
        raise click.UsageError("--fits needs --rig: the rig that clips should fit.")
    with _opened() as at:
        fits = at.finder.fits(read(rig).rig) if rig is not None else {}
        ids = at.finder.search(query, fits)
        known = at.finder.rows(ids)
    _say([known[i] for i in ids if i in known], fits, talk)


@COMMAND.command("like")
@click.argument("clip", metavar="FILE[#CLIP]")
@click.option("--count", type=click.IntRange(1), default=20, show_default=True)
@talking_json
@stops
def like(clip: str, count: int, talk: Talk) -> None:
    """Clips whose motion is near that of one in a library folder, the nearest first; mirror images count."""
    with _opened() as at:
        found = at.finder.like(_id(at, clip))[1 : count + 1]
        known = at.finder.rows([i for i, off in found if off < float("inf")])
    _say([known[i] for i, _ in found if i in known], {}, talk, dict(found))


@dataclass(frozen=True)
class _Saying:
    """What is to be said of clips: tags put on and taken off, stars (None: as they are), sets they come into and out of."""

    add: tuple[str, ...]
    remove: tuple[str, ...]
    stars: int | None
    into: tuple[str, ...]
    out_of: tuple[str, ...]

    def said(self, keys: list[str], notes: Notes) -> Notes:
        """The notes of a library folder with that."""
        notes = notes_.tagged(notes, keys, self.add, self.remove)
        notes = notes if self.stars is None else notes_.starred(notes, keys, self.stars)
        for name in self.into:
            notes = notes_.in_set(notes, keys, name)
        for name in self.out_of:
            notes = notes_.out_of_set(notes, keys, name)
        return notes


_saying = grouped(
    (
        click.option("--add", multiple=True, metavar="TAG", help="Add a tag."),
        click.option("--remove", multiple=True, metavar="TAG", help="Remove a tag."),
        click.option("--stars", type=click.IntRange(0, notes_.MOST_STARS), default=None),
        click.option("--into", multiple=True, metavar="SET", help="Add them to a set."),
        click.option("--out-of", multiple=True, metavar="SET", help="Remove them from a set."),
    ),
    "saying", _Saying,
)  # fmt: skip


@COMMAND.command("tags")
@click.argument("clips", nargs=-1, metavar="FILE[#CLIP]…")
@_saying
@talking_json
@stops
def tags(clips: tuple[str, ...], saying: _Saying, talk: Talk) -> None:
    """Say something of clips: tags, stars, sets. Without clips: which tags and sets there are."""
    with _opened() as at:
        if clips:
            ids = [_id(at, c) for c in clips]
            known = at.finder.rows(ids)
            for library_folder, keys in _by_folder(at, [known[i] for i in ids]).items():
                edit_notes(library_folder, partial(saying.said, keys))
            return
        tags_, sets_ = dict[str, int](), dict[str, int]()
        for n in at.notes.values():
            for tag, count in n.tags.items():
                tags_[tag] = tags_.get(tag, 0) + count
            sets_ |= {name: len(keys) for name, keys in n.sets.items()}
    if talk.as_json:
        click.echo(json.dumps({"tags": tags_, "sets": sets_}, indent=2))
        return
    for name, count in [*tags_.items(), *((f"set {n}", c) for n, c in sets_.items())]:
        click.echo(f"{name}: {count}")


def _by_folder(at: _Open, rows: list[Row]) -> dict[LibraryFolder, list[str]]:
    out: dict[LibraryFolder, list[str]] = {}
    for row in rows:
        library_folder = at.folders.of(row.path)
        if library_folder is not None:
            out.setdefault(library_folder, []).append(row.key)
    return out


def _id(at: _Open, clip: str) -> int:
    """The clip that a text means: a file in a library folder, and which of its clips where it has several. Raises RecipeError."""
    file, _, name = clip.partition("#")
    path = Path(os.path.abspath(file))
    rows = at.finder.index.rows(
        "select c.id, c.name from clips c join files f on f.id = c.file where f.path = ?", [os.fsencode(path)]
    )
    found = [int(i) for i, n in rows if not name or n == name]
    if len(found) == 1:
        return found[0]
    if not rows:
        raise RecipeError(
            "is not in a library folder, or was not scanned", file, advice="See `reflexa library add` and `scan`."
        )
    names = ", ".join(str(n) for _, n in rows)
    raise RecipeError(
        "has several clips" if not name else f"has no clip {name!r}", file, advice=f"Choose one: {names}."
    )


def _say(rows: list[Row], fits: dict[str, str], talk: Talk, off: dict[int, float] | None = None) -> None:
    if talk.as_json:
        click.echo(json.dumps({"clips": [_plain(r, fits, off) for r in rows]}, indent=2))
        return
    for r in rows:
        if r.error:
            click.echo(f"{r.path}: {r.error}")
            continue
        how = f", fits {fits[r.rig]}" if r.rig in fits else ""
        more = "".join(f", {w}" for w in ("loop" if r.loop else "", r.gait, *r.said.tags) if w)
        click.echo(
            f"{r.path}#{r.clip}: {r.duration:.2f} s{more}{how}"
            + (f", {counted(r.findings, 'finding')}" if r.findings else "")
        )
    if not rows and not talk.quiet:
        click.echo("Nothing found.", err=True)


def _plain(r: Row, fits: dict[str, str], off: dict[int, float] | None) -> dict[str, Any]:
    path = os.fsencode(r.path).decode(errors="backslashreplace")
    if r.error:
        return {"path": path, "error": r.error}
    out: dict[str, Any] = {
        "path": path, "clip": r.clip, "frames": r.frames, "rate": r.rate, "duration": r.duration, "loop": r.loop,
        "travels": r.travels, "speed_m_s": round(r.speed, 3), "gait": r.gait, "side": r.side, "events": list(r.events),
        "findings": r.findings, "kinds": list(r.faults), "joints": r.joints, "height": round(r.height, 4), "unit": r.unit,
        "untidy": list(r.untidy), "rig": r.rig, "tags": list(r.said.tags), "stars": r.said.stars, "sets": list(r.sets),
    }  # fmt: skip
    if r.rig in fits:
        out["fits"] = fits[r.rig]
    if off is not None:
        out["off"] = round(off[r.id], 4)
    return out

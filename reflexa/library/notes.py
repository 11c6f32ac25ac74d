"""What people say of the clips in a library folder: tags, stars, the frame that shows a clip best, and sets that belong together.

It lies beside the library folder as ``NAME.shelf.json``, readable, for a team to share by version control; where nobody may
write there, in the user's own folder. The library folder itself is never written to.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec

from reflexa import places
from reflexa.errors import ReadError
from reflexa.formats.documents import read_document
from reflexa.formats.files import write_bytes
from reflexa.formats.text import pretty
from reflexa.library.folder_list import LibraryFolder

VERSION = 1
SUFFIX = ".shelf.json"
MOST_STARS = 5


class Said(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is said of one clip. frame: of its picture, where the found one says little."""

    tags: tuple[str, ...] = ()
    stars: int = 0
    frame: int | None = None


NOTHING_SAID = Said()


@dataclass(frozen=True)
class Notes:
    """clips: key (``LibraryFolder.key``) → what is said; sets: name → keys in order. ``unknown``: fields that this version does
    not know."""

    clips: dict[str, Said] = field(default_factory=dict)
    sets: dict[str, tuple[str, ...]] = field(default_factory=dict)
    unknown: dict[str, Any] = field(default_factory=dict)

    def of(self, key: str) -> Said:
        return self.clips.get(key, NOTHING_SAID)

    @property
    def tags(self) -> dict[str, int]:
        """Every tag, and how many clips have it."""
        out: dict[str, int] = {}
        for said in self.clips.values():
            for tag in said.tags:
                out[tag] = out.get(tag, 0) + 1
        return dict(sorted(out.items()))

    def sets_of(self, key: str) -> list[str]:
        """The sets that a clip is in."""
        return [name for name, keys in self.sets.items() if key in keys]


def notes_path(library_folder: LibraryFolder) -> Path:
    """Where it lies: beside the folder; in the user's own where nobody may write there and none is there."""
    beside = library_folder.folder.parent / f"{library_folder.folder.name or 'root'}{SUFFIX}"
    if beside.exists() or os.access(beside.parent, os.W_OK):
        return beside
    name = hashlib.sha256(os.fsencode(library_folder.folder)).hexdigest()[:16]
    return places.state_folder() / "shelves" / f"{name}{SUFFIX}"


def read_notes(library_folder: LibraryFolder) -> Notes:
    """What is said now. Raises ReadError where the file is damaged."""
    path = notes_path(library_folder)
    if not path.exists():
        return Notes()
    plain = read_document(path, "shelf", VERSION)
    try:
        clips = msgspec.convert(plain.get("clips", {}), dict[str, Said])
        sets = msgspec.convert(plain.get("sets", {}), dict[str, tuple[str, ...]])
    except msgspec.ValidationError as e:
        raise ReadError(f"is damaged: {e}", path, advice="Repair or remove it. It is never overwritten.") from None
    rest = {k: v for k, v in plain.items() if k not in ("reflexa", "version", "clips", "sets")}
    return Notes(clips, sets, rest)


def edit_notes(library_folder: LibraryFolder, edit: Callable[[Notes], Notes]) -> Notes:
    """Change what is said: read as it is now, changed, written. Raises ReadError where it is damaged, WriteError."""
    notes = edit(read_notes(library_folder))
    clips = {k: msgspec.to_builtins(v) for k, v in sorted(notes.clips.items()) if v != NOTHING_SAID}
    plain = {
        "reflexa": "shelf", "version": VERSION, "clips": clips,
        "sets": {name: list(keys) for name, keys in sorted(notes.sets.items())}, **notes.unknown,
    }  # fmt: skip
    write_bytes(notes_path(library_folder), pretty(plain).encode(), overwrite=True)
    return notes


def restored(now: Notes, was: Notes, to: Notes) -> Notes:
    """What is said, with the change from ``was`` to ``to`` made; what others have said otherwise since ``was`` stays."""
    clips, sets = dict(now.clips), dict(now.sets)
    for key in {*was.clips, *to.clips}:
        if was.of(key) != to.of(key) and now.of(key) == was.of(key):
            clips[key] = to.of(key)
    for name in {*was.sets, *to.sets}:
        if was.sets.get(name) != to.sets.get(name) and now.sets.get(name) == was.sets.get(name):
            sets[name] = to.sets.get(name, ())
    return replace(now, clips=clips, sets={n: keys for n, keys in sets.items() if keys})


def _each(notes: Notes, keys: Iterable[str], change: Callable[[Said], Said]) -> Notes:
    return replace(notes, clips={**notes.clips, **{k: change(notes.of(k)) for k in keys}})


def tagged(notes: Notes, keys: Iterable[str], add: Iterable[str] = (), remove: Iterable[str] = ()) -> Notes:
    """With tags put on clips, and others taken off."""
    new = {t.strip().lower(): t.strip() for t in reversed(list(add)) if t.strip()}  # case tells no tags apart
    off = {t.strip().lower() for t in remove}

    def change(said: Said) -> Said:
        kept = [t for t in said.tags if t.lower() not in off]
        low = {t.lower() for t in kept}
        tags = tuple(sorted([*kept, *(t for key, t in new.items() if key not in low)], key=str.lower))
        return msgspec.structs.replace(said, tags=tags)

    return _each(notes, keys, change)


def starred(notes: Notes, keys: Iterable[str], stars: int) -> Notes:
    """With so many stars on clips, 0 to 5."""
    return _each(notes, keys, lambda s: msgspec.structs.replace(s, stars=max(0, min(stars, MOST_STARS))))


def shown_at(notes: Notes, key: str, frame: int | None) -> Notes:
    """With the frame that shows a clip best; None: the one that is found."""
    return _each(notes, [key], lambda s: msgspec.structs.replace(s, frame=frame))


def in_set(notes: Notes, keys: Iterable[str], name: str) -> Notes:
    """With clips put into a set."""
    now = notes.sets.get(name, ())
    return replace(notes, sets={**notes.sets, name: tuple(dict.fromkeys((*now, *keys)))})


def out_of_set(notes: Notes, keys: Iterable[str], name: str) -> Notes:
    """With clips taken out of a set; one that is empty then is gone."""
    left = tuple(k for k in notes.sets.get(name, ()) if k not in set(keys))
    return replace(notes, sets={**{n: k for n, k in notes.sets.items() if n != name}, **({name: left} if left else {})})

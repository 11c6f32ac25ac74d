"""Which folders are library folders: a person's own list, and the searches they keep, in the user's folder for settings."""

from __future__ import annotations

import os
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec

from reflexa import places
from reflexa.errors import ReadError, RecipeError
from reflexa.formats.documents import read_document
from reflexa.formats.files import write_bytes
from reflexa.formats.text import pretty
from reflexa.library.query import Query
from reflexa.names import free_name

VERSION = 1


@dataclass(frozen=True)
class LibraryFolder:
    """A folder of clips, and what it is called; the name also stands in projects that took clips from it."""

    name: str
    folder: Path

    def holds(self, path: Path) -> bool:
        """True if a file lies in this folder."""
        return path.is_relative_to(self.folder)

    def key(self, path: Path, clip: str) -> str:
        """What a clip on it is called in what people say of it: its file below the folder, and its name."""
        return f"{_written(path.relative_to(self.folder))}#{clip}"


def _written(path: Path) -> str:
    return path.as_posix().encode(errors="surrogateescape").decode(errors="backslashreplace")


@dataclass(frozen=True)
class LibraryFolders:
    """Every library folder in order, and kept searches by name. ``unknown``: fields that this version does not know."""

    folders: tuple[LibraryFolder, ...] = ()
    searches: dict[str, Query] = field(default_factory=dict)
    unknown: dict[str, Any] = field(default_factory=dict)

    def of(self, path: Path) -> LibraryFolder | None:
        """The library folder that a file lies on; of two that overlap the inner one."""
        return max((s for s in self.folders if s.holds(path)), key=lambda s: len(s.folder.parts), default=None)

    def named(self, name: str) -> LibraryFolder | None:
        return next((s for s in self.folders if s.name == name), None)


def folders_path() -> Path:
    """Where the list lies."""
    return places.settings_folder() / "shelves.json"


class _Saved(msgspec.Struct):
    name: str
    folder: str


def load_folders() -> LibraryFolders:
    """The list as it is now. Raises ReadError where it is damaged."""
    path = folders_path()
    if not path.exists():
        return LibraryFolders()
    plain = read_document(path, "shelves", VERSION)
    try:
        given = msgspec.convert(plain.get("shelves", []), list[_Saved])
        searches = msgspec.convert(plain.get("searches", {}), dict[str, Query])
    except msgspec.ValidationError as e:
        raise ReadError(f"is damaged: {e}", path, advice="Repair or remove it.") from None
    folders = tuple(LibraryFolder(s.name, Path(os.path.abspath(s.folder))) for s in given if "\0" not in s.folder)
    rest = {k: v for k, v in plain.items() if k not in ("reflexa", "version", "shelves", "searches")}
    return LibraryFolders(folders, searches, rest)


def save_folders(folders: LibraryFolders) -> None:
    """Keep the list. Raises WriteError."""
    plain = {
        "reflexa": "shelves", "version": VERSION,
        "shelves": [{"name": s.name, "folder": _written(s.folder)} for s in folders.folders],
        "searches": {name: q.plain() for name, q in folders.searches.items()},
        **folders.unknown,
    }  # fmt: skip
    write_bytes(folders_path(), pretty(plain).encode(), overwrite=True)


def with_folder(folders: LibraryFolders, folder: Path, name: str = "") -> LibraryFolders:
    """The list with a folder on it; as it is where it is there already. Raises ReadError where it is no folder."""
    at = Path(os.path.abspath(folder))
    if any(s.folder == at for s in folders.folders):
        return folders
    if not at.is_dir():
        raise ReadError("is not a folder", folder, advice="A library folder is a folder of clips.")
    called = free_name(name or at.name or "shelf", (s.name for s in folders.folders))
    return replace(folders, folders=(*folders.folders, LibraryFolder(called, at)))


def without_folder(folders: LibraryFolders, name: str) -> LibraryFolders:
    """The list without a library folder; its files, and what was said of them, stay where they are. Raises RecipeError."""
    if folders.named(name) is None:
        known = ", ".join(s.name for s in folders.folders) or "none"
        raise RecipeError(f"there is no library folder {name!r}", advice=f"There are: {known}.")
    return replace(folders, folders=tuple(s for s in folders.folders if s.name != name))

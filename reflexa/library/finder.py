"""Finding clips in the library: by words, filters, likeness, and as what they fit."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import wraps
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar

import numpy as np

from reflexa.library import likeness
from reflexa.library.fits import fit
from reflexa.library.folder_list import LibraryFolder, LibraryFolders
from reflexa.library.index import Index
from reflexa.library.light import Light, Strokes
from reflexa.library.notes import NOTHING_SAID, Notes, Said
from reflexa.library.packed import light_unpacked, strokes_unpacked
from reflexa.library.plain_rig import whole_rig
from reflexa.library.query import Query
from reflexa.motion.arrays import Array
from reflexa.rig import Rig

P = ParamSpec("P")
R = TypeVar("R")


def _understood(
    ask: Callable[Concatenate[Finder, P], R],
) -> Callable[Concatenate[Finder, P], R]:
    """Decorator for what is asked of the index: what in it makes no sense is damage, and raises Damaged."""

    @wraps(ask)
    def asked(self: Finder, /, *args: P.args, **given: P.kwargs) -> R:
        with self.index.understood():
            return ask(self, *args, **given)

    return asked


@dataclass(frozen=True)
class Row:
    """What is known of a clip, or (``error``) of a file that could not be read: its id is below 0 then. said: what people say of
    it; sets: that it is in; rig: the id of its rig, label: the name of a file with it, joints: how many."""

    id: int
    path: Path
    clip: str
    frames: int
    rate: float
    duration: float
    loop: bool
    travels: bool
    speed: float
    gait: str
    side: str
    events: tuple[str, ...]
    findings: int
    faults: tuple[str, ...]
    pose: int
    format: str
    unit: str
    height: float
    joints: int
    untidy: tuple[str, ...]
    rig: str
    label: str
    error: str = ""
    key: str = ""
    said: Said = NOTHING_SAID
    sets: tuple[str, ...] = ()


_COLUMNS = (
    "c.id, f.path, c.name, c.frames, c.rate, c.duration, c.loop, c.travels, c.speed, c.gait, c.side, c.events, c.findings, "
    "c.faults, c.pose, f.format, f.unit, f.height, f.joints, f.untidy, f.rig, r.label"
)
_FIELDS = tuple(Row.__dataclass_fields__)[: _COLUMNS.count(",") + 1]
_FROM = "clips c join files f on f.id = c.file join rigs r on r.id = f.rig"
_ORDER = {
    "name": "c.name collate nocase, f.path",
    "newest": "f.time desc, c.name collate nocase",
    "longest": "c.duration desc, c.name collate nocase",
    "fastest": "c.pace desc, c.name collate nocase",
    "faults": "c.findings desc, c.name collate nocase",
    "stars": "coalesce((select stars from temp.stars s where s.clip = c.id), 0) desc, c.name collate nocase",
}


class Finder:
    """Answers questions about the library from the index and the notes: one for each thread. What people say is held in tables of
    the connection's own, filled anew where it or the index is another."""

    def __init__(self, index: Index) -> None:
        self.index = index
        self._filled: tuple[Any, ...] = ()
        self._notes: Mapping[str, Notes] = {}
        self._folders = LibraryFolders()
        self._matrix: tuple[int, list[int], Array] | None = None
        self._fits: dict[tuple[str, str], str] = {}

    def know(self, folders: LibraryFolders, notes: Mapping[str, Notes]) -> None:
        """The library folders, and what is said of their clips, by the library folder's name."""
        self._folders, self._notes = folders, notes

    # Finding ----------------------------------------------------------------------------------------------------

    @_understood
    def search(self, query: Query, fits: Mapping[str, str] | None = None, near: int | None = None) -> list[int]:
        """Ids of clips (and below 0 of files that cannot be read) in order. fits: rig id → how its clips fit the open rig; near:
        the clip that others are compared with: then the most alike come first."""
        self._fill()
        if query.unreadable:
            return self._unreadable(query)
        where, given = self._where(query, fits or {})
        order = _ORDER.get(query.sort, _ORDER["name"])
        asked = f"select c.id from clips c join files f on f.id = c.file where {where} order by {order}"
        found = [int(i) for (i,) in self.index.rows(asked, given)]
        if query.twice:
            again = self.twice()
            groups = {i: n for n, group in enumerate(again) for i in group}
            found = sorted((i for i in found if i in groups), key=lambda i: groups[i])
        if near is not None:
            off = dict(self.like(near))
            found = sorted((i for i in found if np.isfinite(off.get(i, np.inf))), key=lambda i: off[i])
        return found

    def _where(self, query: Query, fits: Mapping[str, str]) -> tuple[str, list[object]]:
        parts, given = _in_folders(self._chosen(query))
        for word in re.findall(r"\w+", query.text.lower()):
            parts.append(
                "(c.id in (select rowid from words where words match ?) or c.id in (select clip from temp.tags where tag like ?)"
                " or f.rig in (select id from rigs where label like ?))"
            )
            given += [f'"{word}"*', f"{word}%", f"{word}%"]
        for column, wanted in (("c.loop", query.loop), ("c.travels", query.travels), ("c.findings > 0", query.faults),
                               ("f.untidy <> ''", query.untidy)):  # fmt: skip
            if wanted is not None:
                parts.append(f"({column}) = ?")
                given.append(int(wanted))
        lists: list[tuple[str, Sequence[str]]] = [("c.gait", query.gaits), ("c.side", query.sides)]
        if query.fits:
            lists.append(("f.rig", [rig for rig, how in fits.items() if how in query.fits] or [""]))
        for column, among in lists:
            if among:
                parts.append(f"{column} in ({','.join('?' * len(among))})")
                given += among
        for text, value in (("c.duration >= ?", query.shortest), ("c.duration <= ?", query.longest)):
            if value is not None:
                parts.append(text)
                given.append(value)
        for tag in query.tags:
            parts.append("c.id in (select clip from temp.tags where tag = ?)")
            given.append(tag.lower())
        if query.stars:
            parts.append("c.id in (select clip from temp.stars where stars >= ?)")
            given.append(query.stars)
        if query.set:
            parts.append("c.id in (select clip from temp.sets where name = ?)")
            given.append(query.set)
        return " and ".join(parts), given

    def _chosen(self, query: Query) -> list[LibraryFolder]:
        return [s for s in self._folders.folders if not query.library_folder or s.name == query.library_folder]

    def _unreadable(self, query: Query) -> list[int]:
        parts, given = _in_folders(self._chosen(query))
        for word in re.findall(r"\w+", query.text.lower()):
            parts.append("f.name like ?")
            given.append(f"%{word}%")
        rows = self.index.rows(
            f"select f.id from files f where f.error <> '' and {' and '.join(parts)} order by f.path", given
        )
        return [-int(i) for (i,) in rows]

    @_understood
    def rows(self, ids: Iterable[int]) -> dict[int, Row]:
        """What is known of clips and files by their ids, in that order; those that are gone meanwhile are left out."""
        wanted, out = list(ids), dict[int, Row]()
        for at in range(0, len(wanted), 400):
            some = wanted[at : at + 400]
            marks = ",".join("?" * len(some))
            for r in self.index.rows(f"select {_COLUMNS} from {_FROM} where c.id in ({marks})", some):
                out[int(r[0])] = self._row(r)
            files = [-i for i in some if i < 0]
            asked = f"select id, path, error from files where id in ({','.join('?' * len(files))})"
            for i, path, error in self.index.rows(asked, files):
                out[-int(i)] = _damaged(-int(i), Path(os.fsdecode(path)), str(error))
        return {i: out[i] for i in wanted if i in out}

    def _row(self, r: tuple[Any, ...]) -> Row:
        path = Path(os.fsdecode(r[1]))
        library_folder = self._folders.of(path)
        key = library_folder.key(path, r[2]) if library_folder is not None else ""
        notes = self._notes.get(library_folder.name) if library_folder is not None else None
        said, sets = (notes.of(key), tuple(notes.sets_of(key))) if notes is not None else (NOTHING_SAID, ())
        told: dict[str, Any] = dict(zip(_FIELDS, r, strict=True))
        told |= {name: _lines(told[name]) for name in ("events", "faults", "untidy")}
        told |= {"path": path, "loop": bool(told["loop"]), "travels": bool(told["travels"])}
        return Row(**told, key=key, said=said, sets=sets)

    @_understood
    def id_of(self, path: Path, clip: str) -> int | None:
        """The id of a clip by where it lies."""
        found = self.index.rows(
            "select c.id from clips c join files f on f.id = c.file where f.path = ? and c.name = ?",
            [os.fsencode(path), clip],
        )
        return int(found[0][0]) if found else None

    @_understood
    def poses(self, id_: int) -> tuple[Strokes, Light] | None:
        """The light figure of a clip; None where it is gone."""
        found = self.index.rows(f"select r.strokes, c.points, c.low, c.size from {_FROM} where c.id = ?", [id_])
        if not found:
            return None
        packed, points, low, size = found[0]
        strokes = strokes_unpacked(packed)
        return strokes, light_unpacked(points, len(strokes.joints), low, size)

    def _lights(self, ids: Sequence[int]) -> dict[int, Light]:
        """The light figures of many clips, without those that are gone."""
        counts = {
            id_: len(strokes_unpacked(packed).joints) for id_, packed in self.index.rows("select id, strokes from rigs")
        }
        rows = self.index.rows(
            "select c.id, f.rig, c.points, c.low, c.size from clips c join files f on f.id = c.file "
            "where c.id in (select value from json_each(?))",
            [json.dumps(list(ids))],
        )
        return {id_: light_unpacked(points, counts[rig], low, size) for id_, rig, points, low, size in rows}

    # What fits, and what is alike -------------------------------------------------------------------------------

    @_understood
    def fits(self, target: Rig) -> dict[str, str]:
        """Rig id → how clips of it fit a rig."""
        out = {}
        for id_, packed in self.index.rows("select id, packed from rigs"):
            key = (str(id_), target.digest)
            if key not in self._fits:
                self._fits[key] = fit(whole_rig(packed), target)
            out[str(id_)] = self._fits[key]
        return out

    def _features(self) -> tuple[list[int], Array]:
        now = self.index.changes()
        if self._matrix is None or self._matrix[0] != now:
            rows = self.index.rows("select id, features from clips order by id")
            self._matrix = (now, [int(i) for i, _ in rows], likeness.unpacked([f for _, f in rows]))
        return self._matrix[1], self._matrix[2]

    @_understood
    def like(self, id_: int) -> list[tuple[int, float]]:
        """Clips and how far their motion is from that of one, itself first, the nearest next; mirror images count as alike."""
        ids, features = self._features()
        if id_ not in ids:
            return []
        off = likeness.off(features, ids.index(id_))
        return [(ids[i], float(off[i])) for i in np.argsort(off, kind="stable")]

    @_understood
    def twice(self) -> list[list[int]]:
        """Groups of clips with equal motion under other names or in other files."""
        ids, features = self._features()
        known: dict[int, float] = dict(self.index.rows("select id, duration from clips"))
        at = {id_: i for i, id_ in enumerate(ids)}

        def lights(wanted: Iterable[int]) -> dict[int, Light]:
            return {at[id_]: light for id_, light in self._lights([ids[i] for i in wanted]).items()}

        groups = likeness.equal(features, np.array([known.get(i, 0.0) for i in ids]), lights)
        return [[ids[i] for i in group] for group in groups]

    # What people say --------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        state = (self.index.changes(), self._folders, tuple(self._notes.values()))
        if state == self._filled:
            return
        rows = self.index.rows
        for table, columns in (("tags", "clip, tag"), ("stars", "clip, stars"), ("sets", "clip, name")):
            rows(f"drop table if exists temp.{table}")
            rows(f"create temp table {table}({columns})")
        for library_folder in self._folders.folders:
            notes = self._notes.get(library_folder.name)
            if notes is None or not (notes.clips or notes.sets):
                continue
            parts, given = _in_folders([library_folder])
            found = rows(f"select c.id, f.path, c.name from {_FROM} where {' and '.join(parts)}", given)
            ids = {library_folder.key(Path(os.fsdecode(p)), str(name)): i for i, p, name in found}
            for key, said in notes.clips.items():
                if key in ids:
                    for tag in said.tags:
                        rows("insert into temp.tags values (?, ?)", [ids[key], tag.lower()])
                    rows("insert into temp.stars values (?, ?)", [ids[key], said.stars])
            for name, keys in notes.sets.items():
                for key in keys:
                    if key in ids:
                        rows("insert into temp.sets values (?, ?)", [ids[key], name])
        self._filled = state


def _in_folders(folders: Sequence[LibraryFolder]) -> tuple[list[str], list[object]]:
    parts, given = [], list[object]()
    for library_folder in folders:
        root = os.fsencode(library_folder.folder).rstrip(b"/")
        parts.append("(f.path > ? and f.path < ?)")
        given += [root + b"/", root + b"0"]  # what follows the slash in order
    return [f"({' or '.join(parts)})" if parts else "0"], given


def _lines(text: str) -> tuple[str, ...]:
    return tuple(text.split("\n")) if text else ()


def _damaged(id_: int, path: Path, error: str) -> Row:
    name = os.fsencode(path.name).decode(errors="replace")
    return Row(id_, path, name, 0, 0.0, 0.0, False, False, 0.0, "", "", (), 0, (), 0, "", "", 0.0, 0, (), "", "", error)

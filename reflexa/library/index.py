"""The index: what is known of every file and clip in the library, in one SQLite file in the user's cache folder.

It is a cache. Lost, damaged, or made by another version, it is made anew; windows and commands share it.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import struct
import zlib
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from reflexa import places
from reflexa.errors import ReflexaError, WriteError
from reflexa.library.facts import ClipFacts, FileFacts, search_words
from reflexa.library.folders import Stamp
from reflexa.library.packed import light_packed, strokes_packed
from reflexa.log import write_down_error

VERSION = 4
# No id is given twice: a window that knows a clip by its id never takes another for it.
_TABLES = """
create table files(
  id integer primary key autoincrement, path blob unique not null, name text not null,
  size integer not null, time integer not null, error text not null default '', format text not null default '',
  generator text not null default '', unit text not null default '', height real not null default 0,
  joints integer not null default 0, untidy text not null default '', rig text not null default '');
create table rigs(id text primary key, key text not null, label text not null, joints integer not null, packed blob not null,
  strokes blob not null);
create table clips(
  id integer primary key autoincrement, file integer not null references files(id) on delete cascade, name text not null,
  frames integer not null, rate real not null, duration real not null, loop integer not null, travels integer not null,
  speed real not null, pace real not null, gait text not null, side text not null, events text not null,
  findings integer not null, faults text not null, pose integer not null, low real not null, size real not null,
  points blob not null, features blob not null);
create index clips_of_file on clips(file);
create index clips_by_name on clips(name collate nocase, file);
create virtual table words using fts5(said, prefix='2 3', tokenize="unicode61 remove_diacritics 2");
create table changes(count integer not null);
insert into changes values (1);
"""


def index_path() -> Path:
    """Where the index lies."""
    return places.cache_folder() / "library.sqlite"


class Index:
    """One connection; each thread has its own. Every call may find the file damaged: then it is made anew, and is empty until the
    library folders are scanned again. Raises WriteError where the folder cannot be written, or the disk is full."""

    def __init__(self, path: Path | None = None) -> None:
        self.path = path if path is not None else index_path()
        self._db = self._open()

    def close(self) -> None:
        """Let the file go."""
        self._db.close()

    def _open(self) -> sqlite3.Connection:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            try:
                return self._connected()
            except sqlite3.OperationalError:
                raise
            except sqlite3.DatabaseError:
                self._remove()
                return self._connected()
        except (OSError, sqlite3.Error) as e:
            raise _failed(e, self.path) from None

    def _connected(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.path, timeout=10, isolation_level=None, check_same_thread=False)
        try:
            db.execute("pragma journal_mode=wal")
            db.execute("pragma synchronous=normal")
            db.execute("pragma foreign_keys=on")
            version = db.execute("pragma user_version").fetchone()[0]
            if version != VERSION:
                db.execute("begin immediate")
                if db.execute("pragma user_version").fetchone()[0] != VERSION:  # nobody else did meanwhile
                    for kind, name in db.execute(
                        "select type, name from sqlite_master where name not like 'sqlite_%'"
                    ).fetchall():
                        if kind == "table" and not name.startswith("words_"):
                            db.execute(f'drop table if exists "{name}"')
                    for statement in _TABLES.split(";\n"):
                        db.execute(statement)
                    db.execute(f"pragma user_version={VERSION}")
                db.execute("commit")
        except BaseException:
            db.close()
            raise
        return db

    def _remove(self) -> None:
        for end in ("", "-wal", "-shm"):
            with contextlib.suppress(FileNotFoundError):
                os.unlink(f"{self.path}{end}")

    @contextmanager
    def _guarded(self) -> Iterator[sqlite3.Connection]:
        try:
            yield self._db
        except (sqlite3.OperationalError, sqlite3.ProgrammingError, sqlite3.InterfaceError) as e:
            self._give_up()
            raise _failed(e, self.path) from None
        except sqlite3.DatabaseError:
            self.start_anew()
            raise Damaged("was damaged and is created again", self.path, advice="Scan the library again.") from None

    @contextmanager
    def understood(self) -> Iterator[None]:
        """Values that make no sense, wherever they are come upon, are damage too: the index is made anew then."""
        try:
            yield
        except (ValueError, TypeError, IndexError, KeyError, OverflowError, MemoryError, struct.error, zlib.error) as e:
            write_down_error(e, f"the index of the library, {self.path}")
            self.start_anew()
            raise Damaged("was damaged and is created again", self.path, advice="Scan the library again.") from None

    def _give_up(self) -> None:
        with contextlib.suppress(sqlite3.Error):
            if self._db.in_transaction:
                self._db.execute("rollback")

    def start_anew(self) -> None:
        """Throw away what is there."""
        self._db.close()
        self._remove()
        self._db = self._open()

    def check(self) -> bool:
        """Is the file whole? One that is not is made anew; takes a while for a large one."""
        try:
            with self._guarded() as db:
                good = db.execute("pragma quick_check(1)").fetchone()[0] == "ok"
        except Damaged:
            return False
        if not good:
            self.start_anew()
        return bool(good)

    # Reading ----------------------------------------------------------------------------------------------------

    def rows(self, statement: str, given: Sequence[object] = ()) -> list[tuple[Any, ...]]:
        """What a question in SQL gives."""
        with self._guarded() as db:
            return db.execute(statement, given).fetchall()

    def changes(self) -> int:
        """A number that is another after every change, whoever made it."""
        with self.understood():
            return int(self.rows("select count from changes")[0][0])

    def stamps(self) -> dict[Path, Stamp]:
        """Every file that is known, with its stamp."""
        with self._guarded() as db:
            found = db.execute("select path, size, time from files").fetchall()
        with self.understood():
            return {Path(os.fsdecode(p)): (size, time) for p, size, time in found}

    # Writing ----------------------------------------------------------------------------------------------------

    def put(self, read: Iterable[tuple[Path, Stamp, FileFacts | ReflexaError]], gone: Iterable[Path] = ()) -> None:
        """Take in what was read of files, in the place of what was known of them; and forget those that are gone. All in one."""
        with self._guarded() as db:
            db.execute("begin immediate")
            for path in gone:
                self._forget(db, path)
            for path, stamp, facts in read:
                self._forget(db, path)
                self._put(db, path, stamp, facts)
            db.execute("update changes set count = count + 1")
            db.execute("commit")

    @staticmethod
    def _forget(db: sqlite3.Connection, path: Path) -> None:
        key = os.fsencode(path)
        db.execute(
            "delete from words where rowid in (select c.id from clips c join files f on f.id = c.file where f.path = ?)",
            [key],
        )
        db.execute("delete from files where path = ?", [key])

    @staticmethod
    def _put(db: sqlite3.Connection, path: Path, stamp: Stamp, facts: FileFacts | ReflexaError) -> None:
        name = os.fsencode(path.name).decode(errors="replace")
        base = (os.fsencode(path), name, *stamp)
        if isinstance(facts, ReflexaError):
            db.execute(
                "insert into files(path, name, size, time, error) values (?,?,?,?,?)", [*base, _text(facts.reason)]
            )
            return
        rig = facts.rig
        db.execute(
            "insert or ignore into rigs values (?,?,?,?,?,?)",
            [rig.id, rig.key, _text(Path(name).stem), facts.joints, rig.packed, strokes_packed(facts.strokes)],
        )
        file = db.execute(
            "insert into files(path, name, size, time, format, generator, unit, height, joints, untidy, rig) "
            "values (?,?,?,?,?,?,?,?,?,?,?)",
            [
                *base, facts.format, _text(facts.generator), facts.unit, facts.height, facts.joints,
                _text("\n".join(facts.untidy)), rig.id,
            ],
        ).lastrowid  # fmt: skip
        where = search_words(_text(f"{path.parent.name} {Path(name).stem}"))
        for c in facts.clips:
            row = db.execute(
                f"insert into clips({_CLIP}) values ({','.join('?' * 19)})", [file, *_clip_row(c)]
            ).lastrowid
            said = f"{search_words(_text(c.name))} {where} {search_words(_text(' '.join(c.events)))}"
            db.execute("insert into words(rowid, said) values (?,?)", [row, said])


_CLIP = (
    "file, name, frames, rate, duration, loop, travels, speed, pace, gait, side, events, findings, faults, pose, low, size, "
    "points, features"
)


def _clip_row(c: ClipFacts) -> list[object]:
    return [
        _text(c.name), c.frames, c.rate, c.duration, c.loop, c.travels, c.speed, c.pace, c.gait, c.side,
        _text("\n".join(c.events)), c.findings, "\n".join(c.faults), c.pose, c.shown.low, c.shown.size, light_packed(c.shown),
        np.ascontiguousarray(c.features, dtype="<f4").tobytes(),
    ]  # fmt: skip


def _text(said: str) -> str:
    """Text that can be kept: without what is none."""
    return said.encode(errors="replace").decode().replace("\0", "")


class Damaged(WriteError):
    """The index was damaged; it is empty now."""


def _failed(error: Exception, path: Path) -> WriteError:
    return WriteError(
        f"the index of the library cannot be used: {error}", path, advice="Free some space, or check the folder."
    )

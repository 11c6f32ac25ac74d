"""What the application keeps for itself, and what it is told on the command line, with odd values in it."""

from __future__ import annotations

import json
import random
import sqlite3
import tempfile
from collections.abc import Mapping
from pathlib import Path
from unittest.mock import patch

from reflexa.cli import main
from reflexa.library import folder_list
from reflexa.library.facts import facts_of
from reflexa.library.finder import Finder
from reflexa.library.folder_list import LibraryFolder, LibraryFolders
from reflexa.library.index import Index
from reflexa.library.notes import Notes, edit_notes, notes_path, read_notes, tagged
from reflexa.library.query import Query
from reflexa.motion.skeleton import chain
from reflexa.project import recovery, store
from reflexa.project.store import Project
from reflexa.rig import analyse

_ODD = (
    None,
    "",
    "x",
    -1,
    0,
    1,
    2**40,
    -(2**62),
    1e308,
    float("nan"),
    b"",
    b"\xff",
    b"\0" * 7,
    b"\x80" * 4096,
    "\n" * 9,
)
_TABLES = {"files": 13, "rigs": 6, "clips": 20}


def index_seeds() -> Mapping[str, bytes]:
    """The index of a folder with one clip."""
    clip = Path(__file__).parents[1] / "tests/data/humanoid3d_walk.bvh"
    with tempfile.TemporaryDirectory() as folder:
        index = Index(Path(folder) / "a.sqlite")
        index.put([(Path("/library folder/walk.bvh"), (1, 2), facts_of(clip))])
        index.rows("pragma wal_checkpoint(truncate)")
        index.close()
        return {"a.sqlite": (Path(folder) / "a.sqlite").read_bytes()}


def odd_cell(data: bytes, r: random.Random) -> bytes:
    """One cell of the index holds something else."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.sqlite"
        path.write_bytes(data)
        db = sqlite3.connect(path, isolation_level=None)
        try:
            table = r.choice(list(_TABLES))
            columns = [c[1] for c in db.execute(f"pragma table_info({table})")]
            db.execute(f"update or ignore {table} set {r.choice(columns)} = ?", [r.choice(_ODD)])
            db.execute("pragma wal_checkpoint(truncate)")
        except sqlite3.Error:
            return data
        finally:
            db.close()
        return path.read_bytes()


def use_index(path: Path) -> object:
    """Everything that is asked of an index."""
    finder = Finder(Index(path))
    try:
        finder.know(LibraryFolders((LibraryFolder("shelf", Path("/library folder")),)), {})
        ids = finder.search(Query())
        ids += finder.search(Query(text="walk", unreadable=True))
        finder.rows(ids)
        for id_ in ids[:2]:
            finder.poses(id_)
            finder.like(id_)
        finder.twice()
        finder.fits(analyse(chain(["a", "b"], [[0, 1, 0], [0, 1, 0]])))
        return finder.index.stamps()
    finally:
        finder.index.close()


def notes_seeds() -> Mapping[str, bytes]:
    with tempfile.TemporaryDirectory() as folder:
        library_folder = LibraryFolder("a", Path(folder) / "a")
        library_folder.folder.mkdir()
        edit_notes(library_folder, lambda notes: tagged(notes, ["walk.bvh#walk"], "calm"))
        return {"a.shelf.json": notes_path(library_folder).read_bytes()}


def use_notes(path: Path) -> Notes:
    folder = path.parent / "a"
    folder.mkdir(exist_ok=True)
    return read_notes(LibraryFolder("a", folder))


def recovery_seeds() -> Mapping[str, bytes]:
    with tempfile.TemporaryDirectory() as folder:
        recovery.keep(Project("p"), Path(folder))
        return {"a.json": next(Path(folder).rglob("recovery-*.json")).read_bytes()}


def use_recovery(path: Path) -> object:
    """A damaged one is passed over."""
    own = path.parent / ".reflexa"
    own.mkdir(exist_ok=True)
    (own / "recovery-x.json").write_bytes(path.read_bytes())
    return recovery.found(path.parent)


def folder_list_seeds() -> Mapping[str, bytes]:
    with (
        tempfile.TemporaryDirectory() as folder,
        patch.object(folder_list, "folders_path", lambda: Path(folder) / "a.json"),
    ):
        listed = folder_list.with_folder(LibraryFolders(searches={"calm": Query(text="walk", stars=2)}), Path(folder))
        folder_list.save_folders(listed)
        return {"shelves.json": (Path(folder) / "a.json").read_bytes()}


def use_folder_list(path: Path) -> object:
    """Read the list, ask it, and keep it again."""
    with patch.object(folder_list, "folders_path", lambda: path):
        listed = folder_list.load_folders()
        listed.of(path)
        folder_list.save_folders(listed)
        return folder_list.load_folders()


def limits_seeds() -> Mapping[str, bytes]:
    from reflexa.checks.judging.thresholds import text

    return {"thresholds.json": text({}).encode()}


def use_limits(path: Path) -> Project:
    """Damaged thresholds cost themselves alone: the project opens, and is saved."""
    folder = path.parent / "project"
    store.save(Project("p"), folder)
    (folder / "thresholds.json").write_bytes(path.read_bytes())
    found = store.load(folder)
    store.save(found, folder)
    return found


def command_seeds() -> Mapping[str, bytes]:
    said = (
        ["apply", "walk.bvh", "--step", "mirror:plane=world", "--out", "out", "--name", "{clip}"],
        [
            "apply",
            "walk.bvh",
            "--step",
            "reach:point=[0, 1.2, 0.4],limb=left hand",
            "--ranges",
            "a=0-4,b=5-9+",
            "--out",
            "o",
        ],
        ["check", "walk.bvh", "--source-units", "cm", "--json"],
        ["join", "walk.bvh#walk,first=2", "walk.bvh,crossfade=3,reversed", "--out", "a.glb"],
        ["picture", "walk.bvh#walk", "--out", "a.png", "--frames", "0-100/10", "--size", "96x60"],
        ["library", "search", "walk", "--loop"],
    )
    return {f"{i}.json": json.dumps(s).encode() for i, s in enumerate(said)}


def odd_words(data: bytes, r: random.Random) -> bytes:
    """One word of a command is another: cut, doubled, or with signs that are no text."""
    words = json.loads(data)
    i = r.randrange(1, len(words))
    at = r.randrange(len(words[i]) + 1)
    odd = r.choice(
        ("\udcff", "\0", "é", "=", ",", ":", "[" * 900, "-", "1e999", "nan", "#", "", "\n", "{", "%s", "9" * 40)
    )
    words[i] = r.choice((words[i][:at] + odd + words[i][at:], words[i][:at], odd, words[i] * 2))
    return json.dumps(words).encode()


def use_command(path: Path) -> object:
    """Run it: whatever is wrong is said with an exit status."""
    from click.testing import CliRunner

    done = CliRunner().invoke(main, json.loads(path.read_bytes()))
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.exit_code

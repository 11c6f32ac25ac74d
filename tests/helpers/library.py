"""Library for tests: a few files of the demo and captures under names of their own, scanned."""

from __future__ import annotations

import os
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path

from reflexa.formats import encode, read
from reflexa.library.finder import Finder
from reflexa.library.folder_list import LibraryFolder, LibraryFolders
from reflexa.library.folders import walk
from reflexa.library.index import Index
from reflexa.library.scan import scan
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from tests.helpers.files import DATA, DECKHAND


def renamed(rig: Rig, prefix: str) -> Rig:
    """The same build under other names."""
    s = rig.skeleton
    names = tuple(prefix + n for n in s.names)
    return analyse(Skeleton(names, s.parents, s.rest_rotations, s.rest_translations, s.rest_scales))


def fill(folder: Path) -> Path:
    """A folder with captures of one rig (one of them damaged), and a walk of the demo on its own rig and on one whose joints only
    have other names."""
    (folder / "captures").mkdir(parents=True)
    for name in ("run", "walk"):
        shutil.copy(DATA / f"humanoid3d_{name}.bvh", folder / "captures" / f"Take_{name}01.bvh")
    (folder / "captures/broken.bvh").write_text("HIERARCHY\nROOT")
    document = read(DECKHAND)
    walk = next(c for c in document.clips if c.name == "walk")
    bare = replace(document.rig, meshes=())
    (folder / "own.glb").write_bytes(encode([walk], bare, "glb"))
    other = renamed(bare, "ferry_")
    clip = replace(walk, skeleton=other.skeleton, name="brisk")
    (folder / "other.glb").write_bytes(encode([clip], other, "glb"))
    return folder


def library_of(folder: Path) -> LibraryFolders:
    return LibraryFolders((LibraryFolder(folder.name, folder),))


def moved(index: Path, old: Path, new: Path, to: Path) -> None:
    """A copy of an index for a library folder that was copied itself, times and all."""
    to.parent.mkdir(parents=True, exist_ok=True)
    shutil.copy(index, to)
    db = Index(to)
    for (path,) in db.rows("select path from files"):
        db.rows("update files set path = ? where path = ?", [path.replace(os.fsencode(old), os.fsencode(new)), path])
    db.close()


# Trees of files that were scanned already, by names and stamps: where, and a copy of the index. A scan starts processes.
_known: dict[tuple[object, ...], tuple[Path, Path]] = {}


def scanned(folder: Path, at: Path) -> Finder:
    """A finder over one library folder."""
    path = at / "library.sqlite"
    files = walk(folder).files.items()
    key = tuple(sorted((str(p.relative_to(folder)), *stamp) for p, stamp in files))
    if key in _known:
        old, copy = _known[key]
        moved(copy, old, folder, path)
    index = Index(path)
    scan(index, library_of(folder).folders, workers=1)
    if key not in _known:
        index.rows("pragma wal_checkpoint(truncate)")
        _known[key] = folder, Path(shutil.copy(path, tempfile.mkdtemp()))
    out = Finder(index)
    out.know(library_of(folder), {})
    return out

"""Scanning: what is read, what is read again, and everything that can be wrong with a folder."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from reflexa.library import readers
from reflexa.library import scan as scanning
from reflexa.library.facts import facts_of
from reflexa.library.finder import Finder
from reflexa.library.folder_list import LibraryFolder, LibraryFolders
from reflexa.library.folders import walk
from reflexa.library.index import Index
from reflexa.library.query import Query
from reflexa.library.scan import scan
from reflexa.take import Cancelled
from tests.helpers.files import DATA, DECKHAND, ROOT
from tests.helpers.library import fill, library_of, scanned


@pytest.fixture(scope="module")
def library_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return fill(tmp_path_factory.mktemp("library") / "clips")


def names(finder: Finder, query: Query | None = None) -> list[str]:
    ids = finder.search(query or Query())
    rows = finder.rows(ids)
    return [rows[i].clip for i in ids]


def test_only_what_is_new_or_another_is_read_again(library_folder: Path, tmp_path: Path, apart: None) -> None:
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    index = Index(tmp_path / "i.sqlite")
    first = scan(index, library_of(own).folders, workers=2)
    assert (first.read, first.bad, first.files) == (5, 1, 5)
    assert scan(index, library_of(own).folders).read == 0
    (own / "captures/Take_run01.bvh").unlink()
    shutil.copy(DATA / "humanoid3d_run.bvh", own / "other name.bvh")
    os.utime(own / "own.glb", (1, 1))
    third = scan(index, library_of(own).folders, workers=1)
    assert (third.read, third.gone, third.files, third.bad) == (2, 1, 5, 1)
    finder = Finder(index)
    finder.know(library_of(own), {})
    assert names(finder) == ["brisk", "other name", "Take_walk01", "walk"]


def test_a_file_that_cannot_be_read_is_listed_with_its_reason(library_folder: Path, tmp_path: Path) -> None:
    finder = scanned(library_folder, tmp_path)
    (id_,) = finder.search(Query(unreadable=True))
    row = finder.rows([id_])[id_]
    assert row.path == library_folder / "captures/broken.bvh" and "no MOTION" in row.error


@pytest.mark.long
def test_folders_in_circles_names_in_any_encoding_and_what_is_no_clip(tmp_path: Path) -> None:
    folder = tmp_path / "clips"
    (folder / "deep").mkdir(parents=True)
    (folder / "deep/round").symlink_to(folder)
    (folder / "nowhere.bvh").symlink_to(tmp_path / "missing.bvh")
    odd = os.fsdecode(os.fsencode(folder) + b"/\xff\xfe walk \x01.bvh")
    shutil.copy(DATA / "humanoid3d_walk.bvh", odd)
    for i in range(2000):
        (folder / f"deep/{i}.txt").touch()
    (folder / ".hidden").mkdir()
    shutil.copy(DATA / "humanoid3d_walk.bvh", folder / ".hidden/a.bvh")
    os.mkfifo(folder / "pipe.bvh")
    found = walk(folder)
    assert set(found.files) == {Path(odd), folder / "pipe.bvh"} and found.there
    finder = scanned(folder, tmp_path)
    assert len(names(finder)) == 1
    (bad,) = finder.rows(finder.search(Query(unreadable=True))).values()
    assert bad.path.name == "pipe.bvh" and "not a file" in bad.error
    os.rename(odd, odd.replace("walk", "stride"))
    assert scan(finder.index, library_of(folder).folders, workers=1).gone == 1


def test_a_disk_that_is_taken_out_takes_nothing_along(library_folder: Path, tmp_path: Path) -> None:
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    finder = scanned(own, tmp_path)
    before = names(finder)
    own.rename(tmp_path / "away")
    gone = scan(finder.index, library_of(own).folders)
    assert gone.away == ["clips"] and gone.gone == 0 and names(finder) == before
    own.mkdir()  # the place where it is put in
    assert scan(finder.index, library_of(own).folders).away == ["clips"] and names(finder) == before


def test_what_nobody_may_look_into_stays_as_it_was_known(
    library_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    finder = scanned(own, tmp_path)
    real = os.scandir

    def shut(at: object) -> object:
        if str(at).endswith("captures"):
            raise PermissionError(13, "Permission denied", at)
        return real(at)  # type: ignore[call-overload]

    monkeypatch.setattr(os, "scandir", shut)
    again = scan(finder.index, library_of(own).folders)
    assert again.gone == 0 and again.unreadable == {own / "captures": "permission denied"}


def test_two_library_folders_that_overlap_show_each_clip_once(library_folder: Path, tmp_path: Path) -> None:
    both = LibraryFolders(
        (LibraryFolder("all", library_folder), LibraryFolder("captures", library_folder / "captures"))
    )
    index = Index(tmp_path / "i.sqlite")
    assert scan(index, both.folders, workers=1).files == 5
    finder = Finder(index)
    finder.know(both, {})
    assert len(names(finder)) == 4 and names(finder, Query(library_folder="captures")) == ["Take_run01", "Take_walk01"]
    inner = both.of(library_folder / "captures/Take_run01.bvh")
    assert inner is not None and inner.name == "captures"


def test_a_file_that_changes_while_it_is_read_is_read_again(
    library_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    real = readers.read_all

    def changing(paths: list[Path], workers: int):  # type: ignore[no-untyped-def]
        for path, facts in real(paths, workers):
            if path.name == "own.glb":
                os.utime(path, (5, 5))
            yield path, facts

    monkeypatch.setattr(scanning, "read_all", changing)
    index = Index(tmp_path / "i.sqlite")
    scan(index, library_of(own).folders, workers=1)
    assert scan(index, library_of(own).folders, workers=1).read == 1


def test_stopping_keeps_what_was_read(library_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def stop(_: str, part: float) -> None:
        if part > 0.5:
            raise Cancelled

    index = Index(tmp_path / "i.sqlite")
    with pytest.raises(Cancelled):
        scan(index, library_of(library_folder).folders, stop, workers=1)
    kept = len(index.stamps())
    assert 3 <= kept < 5 and scan(index, library_of(library_folder).folders, workers=1).read == 5 - kept


@pytest.mark.parametrize("how", ["rubbish", "cut", "holes", "empty"])
def test_a_damaged_index_is_made_anew(library_folder: Path, tmp_path: Path, how: str) -> None:
    finder = scanned(library_folder, tmp_path)
    path = finder.index.path
    finder.index.rows("pragma wal_checkpoint(truncate)")
    finder.index.close()
    data = bytearray(path.read_bytes())
    if how == "holes":
        for at in range(4096, len(data), 3000):
            data[at : at + 200] = b"\xa5" * min(200, len(data) - at)
    made = {"rubbish": b"\x13" * 5000, "cut": bytes(data[: len(data) // 3]), "holes": bytes(data), "empty": b""}[how]
    path.write_bytes(made)
    index = Index(path)
    scan(index, library_of(library_folder).folders, workers=1)
    again = Finder(index)
    again.know(library_of(library_folder), {})
    assert names(again) == ["brisk", "Take_run01", "Take_walk01", "walk"]


def test_an_index_of_another_version_is_made_anew(tmp_path: Path) -> None:
    path = tmp_path / "i.sqlite"
    with sqlite3.connect(path) as db:
        db.execute("create table files(odd)")
        db.execute("pragma user_version = 999")
    db.close()
    assert Index(path).stamps() == {}


_SCANS = """
import sys
from pathlib import Path
from reflexa.library.index import Index
from reflexa.library.scan import scan
from reflexa.library.folder_list import Library folder
scan(Index(Path(sys.argv[1])), [Library folder("a", Path(sys.argv[2]))], workers=1)
"""


@pytest.mark.long
def test_a_scan_that_is_killed_leaves_an_index_that_can_be_used(library_folder: Path, tmp_path: Path) -> None:
    """At three moments; the processes that read for it end by themselves."""
    path = tmp_path / "i.sqlite"
    for wait in (0.6, 1.2, 1.9):
        process = subprocess.Popen(
            [sys.executable, "-c", _SCANS, str(path), str(library_folder)],
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(ROOT)},
        )
        time.sleep(wait)
        process.send_signal(signal.SIGKILL)
        process.wait()
    index = Index(path)
    scan(index, library_of(library_folder).folders, workers=1)
    finder = Finder(index)
    finder.know(library_of(library_folder), {})
    assert names(finder) == ["brisk", "Take_run01", "Take_walk01", "walk"]


def test_a_reader_that_ends_costs_its_file_alone(
    library_folder: Path, monkeypatch: pytest.MonkeyPatch, apart: None
) -> None:
    from reflexa.processes import Ended, Process

    real = Process.ask

    def ask(self: Process, question: Path, patience: float) -> object:
        if question.name == "own.glb":
            self.end()
            raise Ended(-11)
        return real(self, question, patience)

    monkeypatch.setattr(Process, "ask", ask)
    found = dict(readers.read_all([library_folder / "own.glb", library_folder / "captures/Take_walk01.bvh"], 1))
    assert "crashed its reader" in str(found[library_folder / "own.glb"])
    assert found[library_folder / "captures/Take_walk01.bvh"].clips[0].gait == "walking"  # type: ignore[union-attr]


def test_what_is_told_of_a_clip() -> None:
    """The captures are by names what they are; their speeds: see the notes of their source beside them."""
    run, walk_ = (facts_of(DATA / f"humanoid3d_{n}.bvh").clips[0] for n in ("run", "walk"))
    assert (run.gait, walk_.gait) == ("running", "walking") and run.travels and walk_.travels
    assert run.speed > 3 and 0.8 < walk_.speed < 1.3
    assert (walk_.frames, walk_.rate) == (39, 30.0) and walk_.findings == 0
    # The demo's walk is keyed for 1.28 m a second; what its feet say holds where it stays on the spot, and where it skates.
    ours = {c.name: c for c in facts_of(DECKHAND).clips}
    for name in ("walk", "walk on the spot", "walk, skating"):
        assert ours[name].pace == pytest.approx(1.28, abs=0.02) and ours[name].gait == "walking"
    assert not ours["walk on the spot"].travels and ours["rope haul"].gait == "standing"


def test_a_file_that_changed_is_never_taken_for_what_it_was(library_folder: Path, tmp_path: Path) -> None:
    """Windows know clips by ids, and keep their pictures: no id is given twice."""
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    finder = scanned(own, tmp_path)
    seen = set(finder.search(Query()))
    for turn in (1, 2):
        for path in walk(own).files:
            os.utime(path, (turn, turn))
        scan(finder.index, library_of(own).folders, workers=1)
        now = set(finder.search(Query()))
        assert len(now) == 4 and not now & seen
        seen |= now

"""A project survives kills, damage, others who save, and the end of the process that edits it."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import msgspec
import pytest

from benchmarks.kills import kills
from reflexa.errors import ReadError, ReflexaError, WriteError
from reflexa.project import lock, recovery, store, transaction
from reflexa.project.lock import Holder, Lock
from reflexa.project.sources import add_source
from reflexa.project.store import Project, SourceFile
from reflexa.steps import make
from reflexa.take import Cancelled, Source, Take
from tests.helpers.files import DATA

ROOT = DATA.parents[1]


def project(*names: str, note: str = "") -> Project:
    steps = {n: (msgspec.structs.replace(make("mirror", note or n), id="m"),) for n in names}
    takes = tuple(Take(n, Source("a.glb", "walk"), steps[n]) for n in names)
    return Project("p", (SourceFile("a.glb"),), takes)


def test_kills_leave_the_old_or_the_new() -> None:
    bad, _ = kills(25, seed=7)
    assert bad == 0


@pytest.mark.parametrize("at", range(12))
def test_a_save_that_fails_anywhere_is_whole_afterwards(at: int, tmp_path: Path, monkeypatch) -> None:
    old, new = project("one", "two"), project("two", "three", note="new")
    store.save(old, tmp_path)
    count = 0
    real = os.replace

    def failing(*args):
        nonlocal count
        count += 1
        if count == at + 1:
            raise OSError(errno.EIO, "Input/output error")
        return real(*args)

    monkeypatch.setattr(transaction.os, "replace", failing)
    try:
        store.save(new, tmp_path)
        done = True
    except WriteError:
        done = False
    monkeypatch.undo()
    now = store.load(tmp_path)
    assert now in (old, new) and (not done or now == new)
    assert not list(tmp_path.rglob("*.part")) and not list(tmp_path.rglob("save-*"))


@pytest.mark.parametrize("at", range(3))
def test_a_save_that_is_stopped_has_not_happened(at: int, tmp_path: Path) -> None:
    old, new = project("one", "two"), project("two", "three", note="new")
    store.save(old, tmp_path)
    before = store.load(tmp_path)
    words = iter(range(99))

    def tell(_text: str, _part: float) -> None:
        if next(words) == at:
            raise Cancelled

    with pytest.raises(Cancelled):
        store.save(new, tmp_path, tell=tell)
    assert store.load(tmp_path) == before and not list(tmp_path.rglob("save-*"))


def test_who_interrupts_a_save_that_is_decided_loses_nothing(tmp_path: Path, monkeypatch) -> None:
    store.save(project("one", "two"), tmp_path)
    new = project("two", "three", note="new")
    real = os.replace

    def interrupted(*args):
        real(*args)
        raise KeyboardInterrupt

    monkeypatch.setattr(transaction.os, "replace", interrupted)
    with pytest.raises(KeyboardInterrupt):
        store.save(new, tmp_path)
    monkeypatch.undo()
    assert [t.name for t in store.load(tmp_path).takes] == ["two", "three"] and not list(tmp_path.rglob("save-*"))


def test_names_change_hands_and_nothing_is_lost(tmp_path: Path) -> None:
    store.save(project("a", "b"), tmp_path)
    before = store.load(tmp_path)
    a, b = before.takes
    swapped = replace(before, takes=(replace(a, name="b"), replace(b, name="a")))
    store.save(swapped, tmp_path)
    now = store.load(tmp_path)
    assert [(t.name, t.steps[0].name, t.id) for t in now.takes] == [("b", "a", a.id), ("a", "b", b.id)]
    assert store.state(tmp_path).keys() == {
        "project.json",
        "takes/a.take.json",
        "takes/b.take.json",
        "sources/a.glb",
    }


def test_files_that_were_never_loaded_are_never_touched(tmp_path: Path) -> None:
    store.save(project("a"), tmp_path)
    mine = store.load(tmp_path)
    known = store.state(tmp_path)
    theirs = store.load(tmp_path)
    store.save(replace(theirs, takes=(*theirs.takes, *project("theirs").takes)), tmp_path)
    stray = tmp_path / "takes" / "mine.take.json"
    stray.write_text("not ours")
    store.save(replace(mine, takes=project("mine").takes), tmp_path, known)
    assert stray.read_text() == "not ours" and (tmp_path / "takes" / "theirs.take.json").exists()
    # What others added stays in the list, and is not taken for ours at the next save either.
    assert [t.name for t in store.load(tmp_path).takes] == ["mine", "theirs"]


def test_a_save_keeps_what_it_did_not_know_in_the_list(tmp_path: Path) -> None:
    known = store.save(project("a"), tmp_path)
    mine, theirs = store.load(tmp_path), store.load(tmp_path)
    theirs = replace(
        theirs, sources=(*theirs.sources, SourceFile("b.glb", unit=0.01)), takes=(*theirs.takes, *project("b").takes)
    )
    store.save(theirs, tmp_path)
    for name in ("c", "d"):
        mine = replace(mine, takes=(*mine.takes, *project(name).takes))
        known = store.save(mine, tmp_path, known)
        assert "takes/b.take.json" not in known and "sources/b.glb" not in known
    now = store.load(tmp_path)
    assert [t.name for t in now.takes] == ["a", "c", "d", "b"] and now.sources == theirs.sources
    store.save(replace(now, takes=now.takes[:1], sources=now.sources[:1]), tmp_path)
    assert [t.name for t in store.load(tmp_path).takes] == ["a"], "whoever knows of them removes them"


def test_two_steps_of_one_id_are_saved_with_an_id_each(tmp_path: Path) -> None:
    take = project("a").takes[0]
    store.save(replace(project("a"), takes=(replace(take, steps=take.steps * 2),)), tmp_path)
    (now,) = store.load(tmp_path).takes
    assert now.steps[0].id == "m" and len({s.id for s in now.steps}) == 2


def test_what_was_not_saved_is_found_whoever_has_the_number_of_its_process_now(tmp_path: Path, monkeypatch) -> None:
    """A process number comes again, and a machine may be called otherwise the next day: the lock tells who lives."""
    store.save(project("a"), tmp_path)
    monkeypatch.setattr(recovery.socket, "gethostname", lambda: "yesterday")
    monkeypatch.setattr(recovery.os, "getpid", lambda: 1)  # which is alive, always
    recovery.keep(project("a", "b"), tmp_path)
    monkeypatch.undo()
    held = lock.take(tmp_path)
    assert isinstance(held, Lock) and not lock.is_free(tmp_path)
    left = recovery.found(tmp_path)
    assert left is not None and [t.name for t in left.project.takes] == ["a", "b"]
    held.release()
    assert lock.is_free(tmp_path)


def test_a_lock_of_this_machine_under_another_name_counts_for_nothing(tmp_path: Path, monkeypatch) -> None:
    held = lock.take(tmp_path)
    assert isinstance(held, Lock)
    written = held.path.read_bytes()
    held.release()
    held.path.write_bytes(written.replace(lock.socket.gethostname().encode(), b"yesterday"))
    machine = msgspec.json.decode(written)["machine"]
    again = lock.take(tmp_path)
    assert isinstance(again, Lock) == bool(machine)
    if isinstance(again, Lock):
        again.release()


HEAD = b'{"reflexa": "take", "version": 2, "name": "x", "source": {"file": "a", "clip": "b"}, '


@pytest.mark.parametrize(
    "text",
    [
        b"{", b"", b"[]", b"\xff\xfe{}", b'{"reflexa": "take", "version": 99}', b'{"reflexa": "take", "version": 2}',
        b'{"reflexa": "take", "version": 2, "name": "x\\u0000", "source": {"file": "a", "clip": "b"}}',
        b'{"reflexa": "take", "version": 2, "name": 5, "source": 5}',
        HEAD + b'"steps": ' + b"[" * 1500 + b"]" * 1500 + b"}",
        HEAD + b'"views": [{"name": "v", "yaw": 1e999}]}',
    ],
)  # fmt: skip
def test_a_damaged_take_costs_itself_alone(text: bytes, tmp_path: Path) -> None:
    store.save(project("a", "b", "c"), tmp_path)
    path = tmp_path / "takes" / "b.take.json"
    path.write_bytes(text)
    now = store.load(tmp_path)
    if len(now.takes) == 3:
        return  # it could be read after all
    assert (
        [t.name for t in now.takes] == ["a", "c"]
        and now.lost[0].file == "b.take.json"
        and "b.take.json" in now.lost[0].reason
    )
    store.save(replace(now, name="q"), tmp_path)
    listed = json.loads((tmp_path / "project.json").read_text())["takes"]
    assert path.read_bytes() == text and listed == ["a.take.json", "b.take.json", "c.take.json"]


@pytest.mark.parametrize(
    "head",
    [
        {"sources": 5}, {"sources": [5]}, {"sources": [{"file": 5}]}, {"takes": 5}, {"takes": [5]}, {"takes": ["x" * 300]},
        {"takes": ["\0"]}, {"rigs": {}}, {"name": []}, {"sources": [{"file": "../x"}]}, {"sources": [{"file": "\0"}]},
        {"takes": ["../../x.take.json"]}, {"sources": [{"file": ""}]},
    ],
)  # fmt: skip
def test_a_damaged_project_is_a_typed_error(head: dict, tmp_path: Path) -> None:
    (tmp_path / "project.json").write_text(json.dumps({"reflexa": "project", "version": 1, "name": "p", **head}))
    try:
        assert store.load(tmp_path).lost
    except ReadError as e:
        assert "project.json" in str(e)


def test_parts_that_lead_outside_are_not_followed(tmp_path: Path) -> None:
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    store.save(project("a"), tmp_path / "p")
    (tmp_path / "p" / "takes" / "a.take.json").rename(elsewhere / "a.take.json")
    (tmp_path / "p" / "takes").rmdir()
    (tmp_path / "p" / "takes").symlink_to(elsewhere)
    with pytest.raises(ReadError, match="outside"):
        store.load(tmp_path / "p")


def test_names_that_are_long_or_odd_are_saved(tmp_path: Path) -> None:
    names = ("x" * 300, "x" * 299 + "y", "\u26f5" * 200, "a/b", "a_b", "CON", ".", "A", "a")
    store.save(project(*names), tmp_path)
    assert [t.name for t in store.load(tmp_path).takes] == list(names)


def test_buffers_are_copied_by_what_they_are_called(tmp_path: Path) -> None:
    for n, byte in enumerate((b"one", b"two")):
        folder = tmp_path / f"in {n}"
        folder.mkdir()
        (folder / "my scene.bin").write_bytes(byte)
        uri = {"buffers": [{"byteLength": 3, "uri": "my%20scene.bin"}, {"byteLength": 3, "uri": "../outside.bin"}]}
        (folder / f"s{n}.gltf").write_text(json.dumps({"asset": {"version": "2.0"}, **uri}))
    (tmp_path / "outside.bin").write_bytes(b"secret")
    for n, byte in enumerate((b"one", b"two")):
        name, _ = add_source(tmp_path / "p", tmp_path / f"in {n}" / f"s{n}.gltf")
        place = (tmp_path / "p" / "sources" / name).parent
        assert (place / "my scene.bin").read_bytes() == byte
    assert not list((tmp_path / "p").rglob("outside.bin")) and not (tmp_path / "p" / "outside.bin").exists()


# The lock ------------------------------------------------------------------------------------------------------------

HOLD = """
import sys, time
from pathlib import Path
from reflexa.project import lock
held = lock.take(Path(sys.argv[1]))
print(type(held).__name__, flush=True)
time.sleep(60)
"""


def test_a_project_is_locked_for_as_long_as_its_process_lives(tmp_path: Path) -> None:
    store.save(project("a"), tmp_path)
    other = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(tmp_path)],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": str(ROOT)},
    )
    assert other.stdout is not None and other.stdout.readline().strip() == "Lock"
    held = lock.take(tmp_path)
    assert isinstance(held, Holder) and held.pid == other.pid and str(other.pid) in held.text
    other.kill()
    other.communicate()
    mine = lock.take(tmp_path)
    assert isinstance(mine, Lock), "a lock of a process that is no more counts for nothing"
    mine.release()
    (tmp_path / transaction.OWN / "lock").write_text('{"host": "elsewhere", "pid": 4}')
    assert lock.take(tmp_path) == Holder("elsewhere", 4)
    forced = lock.take(tmp_path, by_force=True)
    assert isinstance(forced, Lock)
    forced.release()
    again = lock.take(tmp_path)
    assert isinstance(again, Lock)
    again.release()


# Recovery ------------------------------------------------------------------------------------------------------------


def test_what_was_not_saved_is_found_again_and_both_stay_when_declined(tmp_path: Path) -> None:
    saved, edited = project("a"), project("a", "b", note="edited")
    store.save(saved, tmp_path)
    recovery.keep(edited, tmp_path)
    left = recovery.found(tmp_path)
    assert left is not None and left.project == edited and store.load(tmp_path) == saved
    before = left.path.read_bytes()
    recovery.decline(left)
    assert recovery.found(tmp_path) is None and store.load(tmp_path) == saved
    assert [p.read_bytes() for p in (tmp_path / transaction.OWN).glob("declined-*")] == [before]
    recovery.keep(edited, tmp_path)
    recovery.forget(tmp_path)
    assert recovery.found(tmp_path) is None


@pytest.mark.parametrize(
    "text", ["", "{", '{"reflexa":"recovery","host":"x","pid":1,"files":{"../x":"y"}}', '{"files": 5}']
)
def test_a_damaged_recovery_is_passed_over(text: str, tmp_path: Path) -> None:
    store.save(project("a"), tmp_path)
    (tmp_path / transaction.OWN / "recovery-x-1.json").write_text(text)
    assert recovery.found(tmp_path) is None and store.load(tmp_path) == project("a")


def test_errors_are_ours(tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("no folder")
    with pytest.raises(ReflexaError):
        store.save(project("a"), blocked / "p")
    with pytest.raises(ReflexaError):
        store.load(tmp_path / ("x" * 300))


def test_damaged_thresholds_cost_themselves_alone(tmp_path: Path) -> None:
    store.save(replace(project("a"), limits={"slide": 9.0}), tmp_path)
    (tmp_path / "thresholds.json").write_text('{"reflexa": "thresholds", "version": 1, "thresholds": {"slide": "far"}}')
    damaged = (tmp_path / "thresholds.json").read_bytes()
    now = store.load(tmp_path)
    assert [t.name for t in now.takes] == ["a"] and "thresholds.json" in now.lost[0].reason
    store.save(replace(now, takes=(*now.takes, *project("b").takes)), tmp_path)
    assert (tmp_path / "thresholds.json").read_bytes() == damaged, "it stays as it is, to be fixed"
    assert [t.name for t in store.load(tmp_path).takes] == ["a", "b"]

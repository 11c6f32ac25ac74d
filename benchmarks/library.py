"""``python -m benchmarks.library [N]``: a library folder of N generated files (made of demo clips and captures by
mirroring, retiming and retargeting), scanned, searched and shown: times, memory, and how long the window ever stood still."""

from __future__ import annotations

import itertools
import os
import resource
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.measure import heading, line
from reflexa.demo import FOLDER
from reflexa.formats import encode, read
from reflexa.library import folder_list as folder_list_
from reflexa.library import index as index_
from reflexa.library.finder import Finder
from reflexa.library.folder_list import LibraryFolder, LibraryFolders
from reflexa.library.index import Index
from reflexa.library.query import Query
from reflexa.library.scan import scan
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.mirror import MirrorSettings, mirror
from reflexa.steps.retarget.step import RetargetSettings, retarget
from reflexa.steps.retime import RetimeSettings, retime

_DATA = Path(__file__).parents[1] / "tests/data"
_FIRST = ("walk", "walk", "crane", "bail", "cast off", "hail", "climb", "stoop", "haul", "lean")


def _clips() -> list[tuple[Clip, Rig]]:
    """Clips on rigs without their skins: of each its mirror image too, and on the other figure."""
    files = [FOLDER / "sources" / f"{n}.glb" for n in ("deckhand", "ferrykeeper", "heron")]
    files += [_DATA / f"humanoid3d_{n}.bvh" for n in ("run", "walk")]
    documents = [read(f) for f in files]
    pairs = [(c.cut(0, min(c.frames, 90) - 1), replace(d.rig, meshes=())) for d in documents for c in d.clips]
    out = list(pairs)
    out += [(mirror(c, r, MirrorSettings()), r) for c, r in pairs]
    target = replace(documents[1].rig, meshes=())
    out += [retarget(c, r, RetargetSettings(rig="t"), {"t": target}) for c, r in pairs if r.joint("pelvis") >= 0]
    return out


def fill(folder: Path, count: int) -> None:
    """Write so many files, GLB and now and then BVH, in folders of a hundred."""
    clips, made = _clips(), 0
    for round_ in itertools.count():
        for i, (clip, rig) in enumerate(clips):
            if made == count:
                return
            speed = 0.6 + 0.02 * round_
            own = retime(clip, RetimeSettings(how="speed", speed=speed))[0] if round_ else clip
            name = f"{_FIRST[(i + round_) % len(_FIRST)]} {clip.name} {made:05}"
            place = folder / f"set {made // 100:03}"
            place.mkdir(parents=True, exist_ok=True)
            kind = "bvh" if made % 10 == 0 and len(rig.skeleton.roots) == 1 else "glb"
            (place / f"{name}.{kind}").write_bytes(encode([replace(own, name=name)], rig, kind))
            made += 1


def _memory() -> float:
    """What this process takes now, MB."""
    with open("/proc/self/statm") as f:
        return int(f.read().split()[1]) * resource.getpagesize() / 2**20


def searched(finder: Finder) -> Iterator[tuple[str, float]]:
    """Median times of questions, seconds."""
    for what, query in (
        ("a word", Query("wal")), ("two words", Query("haul 00")), ("everything", Query()),
        ("filters", Query("w", loop=True, gaits=("walking",))),
        ("fastest first", Query(sort="fastest")),
    ):  # fmt: skip
        times = []
        for _ in range(9):
            start = time.perf_counter()
            ids = finder.search(query)
            finder.rows(ids[:120])
            times.append(time.perf_counter() - start)
        yield f"{what} ({len(ids):,} found)", float(np.median(times))


def _in_window(folder: Path) -> None:
    """The same in the window: its longest standstill while it scans, searches and plays, and what it takes."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QEventLoop

    from reflexa.desktop.actions import library
    from reflexa.desktop.app import make_app
    from reflexa.desktop.qt_loop import QtLoop
    from reflexa.desktop.window import MainWindow
    from reflexa.session import Session
    from reflexa.session.sources import demo_copy

    app = make_app()
    window = MainWindow(Session(QtLoop()))
    window.session.load(demo_copy())
    window.show()
    worst = 0.0

    def run(seconds: float, until: object = None) -> None:
        nonlocal worst
        end, last = time.monotonic() + seconds, time.monotonic()
        while time.monotonic() < end and not (callable(until) and until()):
            app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 5)
            now = time.monotonic()
            worst = max(worst, now - last)
            time.sleep(0.001)
            last = time.monotonic()

    run(30, lambda: not window.session.work.busy)
    worst, panel = 0.0, window.library
    library.put_library_folder(window.desk, folder)
    run(3600, lambda: not panel.work.scanning)
    print(f"  longest standstill while it scans            {worst * 1000:10.0f} ms   (goal: 100)")
    worst = 0.0
    for text in ("w", "wa", "wal", "walk", "walk 0", ""):
        panel.search.setText(text)
        run(0.4)
    panel.grid.verticalScrollBar().setValue(panel.grid.verticalScrollBar().maximum() // 2)
    run(0.5)
    panel.cell.playing = panel.model.ids[len(panel.model.ids) // 2]
    run(1.0)
    print(f"  longest standstill while it is used          {worst * 1000:10.0f} ms   (goal: 100)")
    print(f"  memory of the window                         {_memory():10.0f} MB   (goal: 600)")
    window.session.history.saved(window.session.project)
    window.close()


def main(count: int = 5_000) -> None:
    """Print it all."""
    with tempfile.TemporaryDirectory(prefix="library folder-") as temporary:
        at = Path(temporary)
        index_.index_path = lambda: at / "cache/library.sqlite"
        folder_list_.folders_path = lambda: at / "settings/shelves.json"
        start = time.perf_counter()
        fill(at / "clips", count)
        made = time.perf_counter() - start
        heading(f"A library folder of {count:,} generated files (made in {made:.0f} s)")
        _in_window(at / "clips")
        library_folder = LibraryFolders((LibraryFolder("clips", at / "clips"),))
        index = Index()
        start = time.perf_counter()
        scan(index, library_folder.folders)
        again = time.perf_counter() - start
        print(f"  second scan                                  {again:10.2f} s    (goal: 3)")
        finder = Finder(index)
        finder.know(library_folder, {})
        base = 0.05
        for what, seconds in searched(finder):
            line(what, seconds, base, "50 ms", goal=1)
        one = finder.search(Query("walk"))[0]
        for what, call in (("like one", lambda: finder.like(one)), ("there twice", finder.twice)):
            start = time.perf_counter()
            call()
            line(what, time.perf_counter() - start, base, "50 ms", goal=1)
        start = time.perf_counter()
        finder.fits(read(FOLDER / "sources/deckhand.glb").rig)
        line("what fits a rig, the first time", time.perf_counter() - start, base, "50 ms", goal=1)


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:2]))

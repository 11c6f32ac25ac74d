"""``python -m benchmarks.batch``: whole sets: a recipe over many files on one core and on two, one file of many clips, and a
build in which nothing is to be done."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from benchmarks.measure import heading, line
from reflexa.batch.build import build, plan
from reflexa.batch.pool import Processes, Share
from reflexa.batch.run import FileJob, How, run
from reflexa.demo import FOLDER
from reflexa.formats import ReadOptions, WriteOptions, encode, read
from reflexa.project import store
from reflexa.steps import make
from reflexa.take.recipe import Recipe

_TAKES = 1_000
_WALK = Path(__file__).parents[1] / "tests/data/humanoid3d_walk.bvh"


def _timed(call: Callable[[], object]) -> float:
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def _over(files: list[Path], out: Path, share: Share) -> None:
    how = How(Recipe("port", (make("mirror"), make("foot-lock"))), None, "", ReadOptions(), WriteOptions(), True)
    assert all(done.error is None for done in run([FileJob(f, out, how) for f in files], share))


def files(folder: Path, count: int) -> None:
    """A mirror and contacts over a thousand captures."""
    given = [folder / f"walk {i:04}.bvh" for i in range(count)]
    for path in given:
        shutil.copy(_WALK, path)
    heading(f"Mirror and contacts over {count:,} captures of 39 frames, read, written, proven (goal: linear in cores)")
    one = _timed(lambda: _over(given, folder / "one", Processes(1)))
    line("on one core", one, one, "one core")
    line("a clip, on one core", one / count, 0.02, "20 ms", goal=1)
    if (os.cpu_count() or 1) > 1:
        line("on two cores", _timed(lambda: _over(given, folder / "two", Processes(2))), one, "one core")
        same = all((folder / "one" / f.name).read_bytes() == (folder / "two" / f.name).read_bytes() for f in given)
        print(f"  the same bits: {'yes' if same else 'NO'}")


def one_file(folder: Path, sizes: tuple[int, ...]) -> None:
    """A mirror of every clip of one GLB."""
    document = read(FOLDER / "sources/deckhand.glb")
    walk = document.clip("walk")
    assert walk is not None
    heading("Mirror of every clip of one GLB (goal: linear in clips)")
    base = 0.0
    for count in sizes:
        path = folder / f"{count}.glb"
        clips = [replace(walk, name=f"walk {i:03}") for i in range(count)]
        path.write_bytes(encode(clips, document.rig, "glb", document))
        seconds = _timed(lambda path=path: _over([path], folder / "out", Processes(1)))
        base = base or seconds
        line(f"{count} clips ({1000 * seconds / count:.0f} ms a clip)", seconds, base, "25 clips")
        line(f"a clip of {count}", seconds / count, 0.04, "40 ms", goal=1)


def nothing_to_do(folder: Path) -> None:
    """A build of a project of a thousand takes that are all up to date."""
    project_folder = Path(shutil.copytree(FOLDER, folder / "ferry"))
    project = store.load(project_folder)
    few = project.takes[:20]
    takes = tuple(replace(few[i % 20], name=f"take {i:04}", id=f"t{i:04}") for i in range(_TAKES))
    store.save(replace(project, takes=takes), project_folder)
    out = folder / "built"
    heading(f"A build of {_TAKES:,} takes (goal: 3 s where all of them are up to date)")
    done = _timed(lambda: [made for _, made in build(plan(project_folder, out), Processes(os.cpu_count() or 1))])
    line("the first", done, 25.0, "25 s", goal=1)
    time.sleep(2.1)  # what was written just now is always read
    nothing = [_timed(lambda: plan(project_folder, out)) for _ in range(2)]
    assert not plan(project_folder, out).due
    size = sum(p.stat().st_size for p in out.iterdir()) / 2**30
    line(f"nothing is due, {size:.1f} GB read for the first time", nothing[0], 1.5, "1.5 s", goal=1)
    line("nothing is due", nothing[1], 0.5, "0.5 s", goal=1)


def main(count: int = 1_000, sizes: tuple[int, ...] = (25, 100, 300)) -> None:
    """Print it all. count: files of the set; sizes: clips of one file."""
    parts: list[Callable[[Path], None]] = [lambda f: files(f, count), lambda f: one_file(f, sizes)]
    if count >= _TAKES:
        parts.append(nothing_to_do)
    for part in parts:
        with tempfile.TemporaryDirectory(prefix="batch-") as folder:
            part(Path(folder))


if __name__ == "__main__":
    main()

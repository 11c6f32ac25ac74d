"""``python -m benchmarks.kills [N]``: how often a project is left neither old nor new when whoever saves it is killed."""

from __future__ import annotations

import os
import random
import signal
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from reflexa.project import store
from reflexa.project.store import Project
from reflexa.project.take_text import take_plain
from reflexa.project.transaction import OWN
from reflexa.steps import make
from reflexa.take import Source, Take


def version(n: int) -> Project:
    """A project that says in every take which version it is; names change hands from one to the next."""
    takes = tuple(
        Take(_name(i, n), Source("a.glb", f"version {n}"), (make("mirror", f"v{n}"),), id=str(i))
        for i in range(5 + n % 3)
    )  # fmt: skip
    return Project(f"version {n}", takes=takes, limits={"slide": 1.0 + n})


def _name(i: int, n: int) -> str:
    return f"take {(i + n) % 5}" if i < 5 else f"only in {n} {i}"


def whole(folder: Path) -> int:
    """Which version lies there; -1: a mixture, or what is left of a save."""
    project = store.load(folder)
    n = int(project.name.split()[-1])
    left = [p for p in folder.rglob("*") if p.name.endswith(".part") or p.name.startswith("save-")]
    there = {p.name for p in (folder / "takes").iterdir()}
    same = there == {f"{t.name}.take.json" for t in project.takes}
    plain = [take_plain(replace(t, steps=())) for t in project.takes]
    meant = [take_plain(replace(t, steps=())) for t in version(n).takes]
    good = (
        plain == meant
        and all(t.steps[0].name == f"v{n}" for t in project.takes)
        and project.limits == version(n).limits
    )
    return n if good and same and not left and not (folder / OWN / "save.json").exists() else -1


def kill_once(folder: Path, rng: random.Random, first: int, longest: float) -> None:
    """Save one version after the other in another process, and kill it at some moment within so many seconds."""
    child = os.fork()
    if child == 0:
        n = first
        while True:
            store.save(version(n), folder)
            n += 1
    time.sleep(rng.uniform(0.0, longest))
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)


def kills(count: int, seed: int = 1) -> tuple[int, int]:
    """How many of so many kills left a mixture or leftovers, and how many different versions were met."""
    rng, bad, met = random.Random(seed), 0, set()
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary) / "project"
        store.save(version(0), folder)
        began = time.perf_counter()
        store.save(version(1), folder)
        a_few_saves = 4 * (time.perf_counter() - began)
        at = 1
        for _ in range(count):
            kill_once(folder, rng, at + 1, a_few_saves)
            now = whole(folder)
            bad += now < 0
            at = max(now, at)
            met.add(now)
    return bad, len(met)


if __name__ == "__main__":
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    found, versions = kills(wanted)
    print(f"{wanted} kills during saves: {found} left a mixture or leftovers; {versions} versions were met")
    raise SystemExit(1 if found else 0)

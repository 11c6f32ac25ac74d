"""Damaged files for readers, in processes of their own: what was not answered by an error of ours, was slow, or large."""

from __future__ import annotations

import resource
import tempfile
import time
import traceback
import warnings
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from pathlib import Path

from fuzz.targets import TARGETS, damaged
from reflexa.errors import ReflexaError

# Nobody waits longer for a file, seconds; and none needs more memory, MB.
SLOW, LARGE = 5.0, 500
_EACH = 200


def one(name: str, seed: int, folder: Path) -> str:
    """What came of one damaged file: "" where it was read, or answered by an error of ours; else what, in words."""
    target = TARGETS[name]
    file, data = damaged(target, _seeds(name), seed)
    path = folder / file
    path.write_bytes(data)
    start, before = time.perf_counter(), _memory()
    try:
        target.read(path)
    except ReflexaError:
        pass
    except BaseException as e:
        where = traceback.extract_tb(e.__traceback__)[-1]
        return f"untyped: {type(e).__name__} in {Path(where.filename).name}:{where.lineno}: {str(e)[:120]}"
    if time.perf_counter() - start > SLOW:
        return f"slow: {time.perf_counter() - start:.1f} s"
    return f"large: {_memory() - before:.0f} MB" if _memory() - before > LARGE else ""


_known: dict[str, dict[str, bytes]] = {}


def _seeds(name: str) -> dict[str, bytes]:
    if name not in _known:
        _known[name] = dict(TARGETS[name].seeds())
    return _known[name]


def _memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def some(name: str, first: int, count: int) -> list[tuple[int, str]]:
    """So many seeds in a row: those that were not answered as they should."""
    warnings.simplefilter("ignore")
    with tempfile.TemporaryDirectory(prefix="fuzz-") as folder:
        return [(s, said) for s in range(first, first + count) if (said := one(name, s, Path(folder)))]


def fuzz(names: list[str], seconds: float, seed: int, workers: int) -> dict[str, tuple[int, list[tuple[int, str]]]]:
    """Per reader how many files it was given, and what was not answered as it should be."""
    out: dict[str, tuple[int, list[tuple[int, str]]]] = {}
    for name in names:
        end, at, bad = time.monotonic() + seconds / len(names), seed * 10_000_000, []
        first = at
        while time.monotonic() < end:
            with ProcessPoolExecutor(workers, get_context("spawn")) as pool:
                try:
                    while time.monotonic() < end:
                        jobs = [pool.submit(some, name, at + i * _EACH, _EACH) for i in range(workers)]
                        for job in jobs:
                            bad += job.result()
                        at += workers * _EACH
                except BrokenProcessPool:
                    bad.append((at, f"crash: among the {workers * _EACH} from here on"))
                    at += workers * _EACH
        out[name] = at - first, bad
    return out

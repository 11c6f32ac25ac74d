"""How kernels are made and called: compiled once, kept on disk, run in blocks of frames on all cores.

A kernel is a plain loop over frames without Python objects, compiled by numba. Numbers are computed as written (no
reordering, no fused operations), and every frame by itself, so that the bits do not depend on how many threads there are.
"""

from __future__ import annotations

import contextlib
import hashlib
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path
from typing import Any, Generic, ParamSpec, TypeVar

import numba
import numpy as np

from reflexa import places
from reflexa.motion import threads

P = ParamSpec("P")
F = TypeVar("F", bound=Callable[..., Any])

# Fewer numbers than this per block, and handing them to a thread costs more than it saves.
_LEAST = 1 << 15
# Kernels may be imported by several threads at a time, and the compiler has one place that says where they are kept.
_wrapping = threading.Lock()


@lru_cache(maxsize=1)
def folder() -> Path | None:
    """Where compiled kernels are kept: by what all of them say, since one may call another. None where nothing can be kept."""
    kept = places.writable_cache()
    here = Path(__file__).parent
    said = b"".join(p.read_bytes() for p in sorted(here.glob("*.py")))
    name = hashlib.sha256(said + numba.__version__.encode()).hexdigest()[:16]
    return None if kept is None else kept / "kernels" / name


def helper(f: F) -> F:
    """A function that kernels call; not to be called from elsewhere."""
    return _compiled(f)


def _compiled(f: F) -> F:
    config: Any = numba.config
    kept = folder()
    with _wrapping:
        before = config.CACHE_DIR
        # Looked at while the function is wrapped, and nobody else's business.
        config.CACHE_DIR = "" if kept is None else str(kept)
        try:
            made: Any = numba.njit(nogil=True, cache=kept is not None, error_model="numpy")(f)
        finally:
            config.CACHE_DIR = before
    if kept is not None:
        _forgive(made._cache)
    return made  # type: ignore[no-any-return]


# Functions that are being compiled, and that were, in this process.
_begun, _made = 0, 0


def compiled_so_far() -> tuple[int, int] | None:
    """While functions are being compiled, how many are and how many there are in all; None where all came from the disk."""
    return (_made, max(_functions(), _begun)) if _begun > _made else None


@lru_cache(maxsize=1)
def _functions() -> int:
    here = Path(__file__).parent
    return sum(p.read_text().count("\n@kernel(") + p.read_text().count("\n@helper") for p in here.glob("*.py"))


def _forgive(kept: Any) -> None:
    """A cache that is full, damaged or cleared away meanwhile costs the time to compile, and nothing else."""
    load, save = kept.load_overload, kept.save_overload

    def loaded(signature: Any, context: Any) -> Any:
        global _begun
        try:
            found = load(signature, context)
        except Exception:  # whatever damaged bytes are taken for
            found = None
        if found is None:
            _begun += 1
        return found

    def saved(signature: Any, data: Any) -> None:
        global _made
        _made += 1
        try:
            save(signature, data)
        except Exception:  # its list is damaged, which an empty one fixes; or the disk is full, which nothing does
            with contextlib.suppress(Exception):
                kept.flush()
                save(signature, data)

    kept.load_overload, kept.save_overload = loaded, saved


class Kernel(Generic[P]):
    """A compiled loop that is called like the function it was made of.

    The first ``shared`` arguments are given to every block of frames whole, the others are arrays over frames; the last
    ``out`` are written to. Inputs may have any layout. A kernel in order of time (``in_order``) runs in one piece. called: it has
    been, so that nobody waits for the compiler any more.
    """

    def __init__(self, f: Callable[P, None], shared: int, out: int, in_order: bool) -> None:
        self._compiled: Callable[..., None] = _compiled(f)
        self._shared, self._out, self._in_order = shared, out, in_order
        self.called = False
        self.__doc__ = f.__doc__

    def __call__(self, *args: P.args, **_: P.kwargs) -> None:
        given = list(args)
        inputs = len(given) - self._out
        given[:inputs] = [_read(a) for a in given[:inputs]]
        shared, over = given[: self._shared], given[self._shared :]
        most = 0 if self._in_order or not over else max(_size(a)[1] for a in over)
        if most < 2 * _LEAST:
            self._compiled(*given)
            self.called = True
            return
        frames = _size(over[-1])[0]
        blocks = max(1, min(threads.cores(), frames, most // _LEAST))
        edges = [frames * i // blocks for i in range(blocks + 1)]
        parts = [[_cut(a, i, j) for a in over] for i, j in zip(edges, edges[1:], strict=False)]
        rest = [_pool().submit(self._compiled, *shared, *p) for p in parts[1:]]
        self._compiled(*shared, *parts[0])
        for done in rest:
            done.result()
        self.called = True


def _read(a: Any) -> Any:
    """An array (also one in a named tuple) in one piece and read-only: so every kernel is compiled for one kind alone."""
    if not isinstance(a, np.ndarray):
        return type(a)(*map(_read, a)) if isinstance(a, tuple) else a
    flags = a.flags
    if not flags.c_contiguous:
        a = np.ascontiguousarray(a)
        flags = a.flags
    if flags.writeable:
        a = a.view()
        a.flags.writeable = False
    return a


def _size(a: Any) -> tuple[int, int]:
    """Over how many frames an array (or a named tuple of arrays) is, and how many numbers it has."""
    return (len(a[0]), sum(x.size for x in a)) if isinstance(a, tuple) else (len(a), a.size)


def _cut(a: Any, first: int, end: int) -> Any:
    return type(a)(*(x[first:end] for x in a)) if isinstance(a, tuple) else a[first:end]


def kernel(shared: int, out: int, in_order: bool = False) -> Callable[[Callable[P, None]], Kernel[P]]:
    """Decorator: a loop over frames as a ``Kernel``."""
    return lambda f: Kernel(f, shared, out, in_order)


T = TypeVar("T")


def at_once(work: list[Callable[[], T]]) -> list[T]:
    """What calls come to, made on all cores at once (as far as they let go of the interpreter). Not for kernels that run in
    blocks themselves. The first error is raised."""
    rest = [_pool().submit(w) for w in work[1:]]
    return [work[0](), *(r.result() for r in rest)] if work else []


def _pool() -> ThreadPoolExecutor:
    return threads.pool("kernels", max(1, threads.cores() - 1))


# Set when all of this module is there: another thread may be importing it.
STARTED = True

"""Tasks that are done on other machines: what they read goes along as bytes by digest, and what they write comes back so.

A worker has a folder in which every file stands under the path that it has at home, so that a task there is the task here
with other folders.
"""

from __future__ import annotations

import atexit
import hashlib
import os
import platform
import shutil
import sys
import tempfile
import threading
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, fields, is_dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any, Protocol, TypeVar

import msgspec
import numpy as np

from reflexa.batch.version import computation
from reflexa.errors import ReflexaError

T = TypeVar("T")
_lock = threading.Lock()


class Travelling(Protocol):
    """A task that can be done elsewhere."""

    @property
    def out(self) -> Path:
        """The folder that it writes to."""

    @property
    def overwrite(self) -> bool:
        """Whether files that are there may be written over."""

    def reads(self) -> list[tuple[Path, ...]]:
        """The files that it reads, in bundles that belong together."""

    def kept(self) -> tuple[Path, ...]:
        """Files that are never written over, whatever is said."""

    def failed(self, error: ReflexaError) -> Any:
        """What came of it, where nothing did."""


class Fingerprint(msgspec.Struct, frozen=True):
    """What decides the bits of a result: version: our computation, and the libraries below it; bits: a digest of what this
    processor makes of fixed numbers."""

    computation: str
    libraries: str
    bits: str

    @property
    def version(self) -> str:
        return f"{self.computation}, {self.libraries}"


@lru_cache(maxsize=1)
def fingerprint() -> Fingerprint:
    """That of this process."""
    from importlib.metadata import version

    libraries = ", ".join(f"{n} {version(n)}" for n in ("numpy", "scipy", "numba"))
    python = ".".join(platform.python_version_tuple()[:2])
    return Fingerprint(computation(), f"Python {python}, {libraries}", _bits())


def _bits() -> str:
    """A digest of what the functions below every result make of fixed numbers: processors and C libraries differ in last bits."""
    from reflexa.motion import quat
    from reflexa.motion.clip import Clip
    from reflexa.motion.skeleton import Skeleton

    x = np.linspace(-3.0, 3.0, 3 * 64 * 20).reshape(64, 20, 3)
    parents = np.arange(-1, 19)
    q = quat.from_rotvec(x)
    at_rest = Skeleton(tuple(f"j{i}" for i in range(20)), parents, np.tile(quat.IDENTITY, (20, 1)), np.ones((20, 3)))
    turned, placed = Clip("probe", at_rest, q, x, 30.0).model
    h = hashlib.sha256()
    for a in (turned, placed, quat.to_rotvec(turned), np.exp(x), np.cbrt(x), np.linalg.svd(x[:3])[1]):
        h.update(np.ascontiguousarray(a).tobytes())
    return h.hexdigest()[:16]


# Bundles --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Bundle:
    """Files by their absolute paths, and a digest of names and bytes."""

    digest: str
    data: bytes


def bundle(paths: Iterable[Path]) -> Bundle:
    """Files as they are now; those that are not there are left out: whoever reads them says so."""
    files: dict[str, bytes] = {}
    for path in paths:
        try:
            files[os.path.abspath(path)] = Path(path).read_bytes()
        except OSError:
            continue
    data = msgspec.msgpack.encode(files)
    return Bundle(hashlib.sha256(data).hexdigest(), data)


def _unpack(root: Path, digest: str, data: bytes) -> None:
    """Put the files of a bundle in their places; once for each that is another. Raises ValueError where it is damaged."""
    told = root / "bundles" / digest
    with _lock:
        if told.exists():
            return
        if hashlib.sha256(data).hexdigest() != digest:
            raise ValueError("the data that was sent is damaged")
        for name, content in msgspec.msgpack.decode(data, type=dict[str, bytes]).items():
            path = _inside(root, Path(name))
            path.parent.mkdir(parents=True, exist_ok=True)
            part = path.with_name(f".{path.name}.part")
            part.write_bytes(content)
            part.replace(path)
        told.parent.mkdir(parents=True, exist_ok=True)
        told.touch()


def _inside(root: Path, path: Path) -> Path:
    return root / "files" / os.path.abspath(path).lstrip("/")


# On the worker --------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Sent:
    """A task on its way: what to call with it, a word for the run that it is of, digests of the bundles that it needs."""

    call: Callable[[Any], Any]
    task: Travelling
    run: str
    digests: tuple[str, ...]
    version: str


@dataclass(frozen=True)
class Answer:
    """What came of a task: the result as it is at home, the files that it wrote by their paths below its folder, each with its
    digest. other: who did not do it, being of another version."""

    result: Any = None
    files: Mapping[str, tuple[str, bytes]] = field(default_factory=dict)
    other: str = ""


def do(sent: Sent, *bundles: bytes) -> Answer:
    """Do a task on a worker."""
    if fingerprint().version != sent.version:
        return Answer(other=fingerprint().version)
    root = _root(sent.run)
    for digest, data in zip(sent.digests, bundles, strict=True):
        _unpack(root, digest, data)
    home = sent.task.out
    out = Path(tempfile.mkdtemp(prefix="out-", dir=root))
    try:
        task = moved(replace(sent.task, out=Path("/")), lambda p: _inside(root, p))  # type: ignore[type-var]
        result = sent.call(replace(task, out=out))  # type: ignore[type-var]
        files = {}
        for path in sorted(p for p in out.rglob("*") if p.is_file()):
            data = path.read_bytes()
            files[path.relative_to(out).as_posix()] = hashlib.sha256(data).hexdigest(), data
        return Answer(moved(result, lambda p: _home(root, out, home, p)), files)
    finally:
        shutil.rmtree(out, ignore_errors=True)


def _home(root: Path, out: Path, home: Path, path: Path) -> Path:
    if path.is_relative_to(out):
        return home / path.relative_to(out)
    files = root / "files"
    return Path("/") / path.relative_to(files) if path.is_relative_to(files) else path


@lru_cache(maxsize=4)
def _root(run: str) -> Path:
    """This process's folder for a run: below that of its worker where it has one, which goes with it."""
    base = None
    if "distributed" in sys.modules:
        from distributed import get_worker

        try:
            base = get_worker().local_directory
        except ValueError:
            base = None
    made = Path(tempfile.mkdtemp(prefix=f"reflexa-{run}-", dir=base))
    atexit.register(shutil.rmtree, made, True)
    return made


def moved(value: T, to: Callable[[Path], Path]) -> T:
    """A value with every path in it led elsewhere: in dataclasses, tuples, lists, dicts and errors."""
    out: Any = value
    if isinstance(value, Path):
        out = to(value)
    elif isinstance(value, tuple | list) and type(value) in (tuple, list):
        out = type(value)(moved(v, to) for v in value)
    elif isinstance(value, dict) and type(value) is dict:
        out = {k: moved(v, to) for k, v in value.items()}
    elif isinstance(value, ReflexaError):
        path = str(to(Path(value.path))) if value.path.startswith("/") else value.path
        out = type(value)(value.reason, path, value.place, value.advice) if path != value.path else value
    elif is_dataclass(value) and not isinstance(value, type):
        changes = {f.name: moved(getattr(value, f.name), to) for f in fields(value) if f.init}
        changes = {n: v for n, v in changes.items() if v is not getattr(value, n)}
        out = replace(value, **changes) if changes else value
    return out  # type: ignore[no-any-return]

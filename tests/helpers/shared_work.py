"""What many tests would do anew each: reading the demo's files and computing its takes."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from reflexa.formats import Imported, ReadOptions
from reflexa.formats.bvh import FORMAT as BVH
from reflexa.project import sources
from reflexa.session import opened, reading
from reflexa.take import Cache

_known: dict[tuple[str, str, ReadOptions], Imported] = {}
_computed = Cache()


@contextmanager
def read_and_computed_once() -> Iterator[None]:
    """Sessions of one process share what they read and compute: all goes by the bytes, and is a value that nobody changes."""
    read = sources.read

    def shared(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
        if path.suffix not in (".glb", *BVH.suffixes) or not path.is_file():  # files to which no other belongs
            return read(path, options)
        key = path.name, hashlib.sha256(path.read_bytes()).hexdigest(), options
        if key not in _known:
            _known[key] = read(path, options)
        return replace(_known[key], path=path)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(sources, "read", shared)
        patch.setattr(opened, "Cache", lambda: _computed)
        patch.setattr(reading, "BREATH", 0.0)
        yield

"""Reading and writing whole files, so that a reader never sees half of one."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from reflexa.errors import ReadError, WriteError
from reflexa.motion import threads

# Larger files are refused before memory is taken; motion of hours stays far below.
LARGEST = 2 << 30


def read_bytes(path: Path) -> bytes:
    """The bytes of a file. Raises ReadError where it is missing, a folder, unreadable, empty or too large."""
    try:
        size = path.stat().st_size
        if not path.is_file():
            raise ReadError("is not a file", path)
        if size > LARGEST:
            raise ReadError(f"is {size / 2**30:.1f} GiB, more than the 2 GiB that are read", path)
        data = path.read_bytes()
    except OSError as e:
        raise ReadError(_said(e), path, advice="Check the path and its permissions.") from None
    if not data:
        raise ReadError("the file is empty", path)
    return data


def digest(path: Path) -> str:
    """SHA-256 of a file's bytes. Raises ReadError."""
    h = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                h.update(block)
    except OSError as e:
        raise ReadError(_said(e), path, advice="Check the path and its permissions.") from None
    return h.hexdigest()


def digest_beside(path: Path) -> Callable[[], str]:
    """Begins to compute a file's ``digest`` in a thread of its own; what comes back waits for it."""
    return threads.pool("digests", 1).submit(digest, path).result


def write_bytes(path: Path, data: bytes, overwrite: bool = False) -> None:
    """Write a file whole or not at all: temporary file beside it, flush to disk, rename.

    Raises WriteError where it exists and ``overwrite`` is not set, or the folder cannot be written.
    """
    if path.exists() and not overwrite:
        raise WriteError("exists already", path, advice="Choose another name, or allow overwriting.")
    temporary = ""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as e:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise write_failed(e, path) from None


def write_failed(error: OSError, path: Path) -> WriteError:
    """What the system says against writing a file or folder, as an error of ours."""
    return WriteError(f"could not be written: {_said(error)}", path, advice="What was there before is unchanged.")


def _said(error: OSError) -> str:
    return (error.strerror or str(error)).lower()

"""Reading and writing whole files, so that a reader never sees half of one."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import signal
import stat
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from reflexa.errors import ReadError, WriteError, os_message
from reflexa.motion import threads

# Larger files are refused before memory is taken; motion of hours stays far below.
LARGEST = 2 << 30
# How temporary files beside the real ones end.
PART = ".part"


def read_bytes(path: Path) -> bytes:
    """The bytes of a file. Raises ReadError where it is missing, a folder, unreadable, empty or too large."""
    usable(path)
    try:
        return path.read_bytes()
    except OSError as e:
        raise read_failed(e, path) from None


def usable(path: Path) -> None:
    """Raises ReadError where there is nothing to be read: no file, one that is empty, or too large."""
    try:
        size = path.stat().st_size
        if not path.is_file():
            raise ReadError("is not a file", path)
    except (OSError, ValueError) as e:
        raise read_failed(e, path) from None
    if size > LARGEST:
        raise ReadError(f"is {size / 2**30:.1f} GiB large; at most 2 GiB can be read", path)
    if size == 0:
        raise ReadError("the file is empty", path)


def digest(path: Path) -> str:
    """SHA-256 of a file's bytes. Raises ReadError."""
    h = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                h.update(block)
    except OSError as e:
        raise read_failed(e, path) from None
    return h.hexdigest()


FileState = tuple[int, int, int]


def file_state(path: Path) -> FileState:
    """What changes when a file is written: its number, length and time. Raises ReadError."""
    try:
        s = path.stat()
    except (OSError, ValueError) as e:
        raise read_failed(e, path) from None
    return s.st_ino, s.st_size, s.st_mtime_ns


def digest_beside(path: Path, state: FileState) -> Callable[[], str]:
    """Begins to compute a file's ``digest`` in a thread of its own; what comes back waits for it. Empty where the file is not
    in that state any more: it would be the digest of something else."""

    def digested() -> str:
        found = digest(path)
        return found if file_state(path) == state else ""

    return threads.pool("digests", 1).submit(digested).result


def write_bytes(path: Path, data: bytes, overwrite: bool = False) -> None:
    """Write a file whole or not at all: temporary file beside it, flush to disk, rename.

    Raises WriteError where it exists and ``overwrite`` is not set, or the folder cannot be written.
    """
    write_together({path: data}, overwrite)


def write_together(files: Mapping[Path, bytes], overwrite: bool = False) -> None:
    """Write files that belong together: all of them whole, or none, and then what was there before is as it was.

    Raises WriteError where one exists and ``overwrite`` is not set, or one cannot be written.
    """
    for path in files:
        if os.path.lexists(path) and not overwrite:
            raise WriteError("exists already", path, advice="Choose another name, or allow overwriting.")
    ready: dict[Path, Path] = {}
    before: dict[Path, Path | None] = {}
    at = next(iter(files), Path())
    try:
        for at, data in files.items():
            ready[at] = _beside(_followed(at), data)
        with uninterrupted():
            for at, part in ready.items():
                place = _followed(at)
                before[place] = _kept(place)
                os.replace(part, place)
    except (OSError, ValueError) as e:
        for path, old in before.items():
            _restore(path, old)
        raise write_failed(e, at) from None
    finally:
        for left in (*ready.values(), *(old for old in before.values() if old is not None)):
            left.unlink(missing_ok=True)


def _followed(path: Path) -> Path:
    """What a link leads to, which is written instead of it; any other path as it is."""
    return path.resolve() if path.is_symlink() else path


# What ends a process, or its work, from outside and can be put off.
_ENDS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


@contextlib.contextmanager
def uninterrupted() -> Iterator[None]:
    """Ctrl-C and the like wait until what is inside is done: files that belong together are renamed all or not at all."""
    if threading.current_thread() is not threading.main_thread():
        yield  # only the main thread is interrupted
        return
    came: list[int] = []
    # One that was set by other than Python code cannot be put back by it, and stays.
    before = {s: h for s in _ENDS if (h := signal.getsignal(s)) not in (None, signal.SIG_IGN)}
    for one in before:
        signal.signal(one, lambda number, _: came.append(number))
    try:
        yield
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)
        for number in dict.fromkeys(came):
            signal.raise_signal(number)


def _beside(path: Path, data: bytes) -> Path:
    """A temporary file with the data, flushed to disk, in the folder of the path; may be used as what is there, or as any new
    file."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(prefix=".", suffix=PART, dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, stat.S_IMODE(path.stat().st_mode) if path.exists() else 0o666 & ~_umask())
    except BaseException:
        os.unlink(name)
        raise
    return Path(name)


def _umask() -> int:
    """What the system takes away from the permissions of new files. Read, since Python can only ask by setting it, for all
    threads at once."""
    with contextlib.suppress(OSError, StopIteration, ValueError):
        lines = Path("/proc/self/status").read_text().splitlines()
        return int(next(line for line in lines if line.startswith("Umask:")).split()[1], 8)
    return 0o022


def _kept(path: Path) -> Path | None:
    """What is there now under another name besides, so that it can be put back; None where nothing is."""
    if not path.is_file():
        return None
    handle, name = tempfile.mkstemp(prefix=".", suffix=PART, dir=path.parent)
    os.close(handle)
    os.unlink(name)
    try:
        os.link(path, name)
    except OSError:  # not every file system has links
        shutil.copy2(path, name)
    return Path(name)


def _restore(path: Path, old: Path | None) -> None:
    with contextlib.suppress(OSError):
        if old is None:
            path.unlink(missing_ok=True)
        else:
            os.replace(old, path)


def read_failed(error: OSError | ValueError, path: Path) -> ReadError:
    """What the system says against reading a file, as an error of ours."""
    return ReadError(os_message(error), path, advice="Check the path and its permissions.")


def write_failed(error: OSError | ValueError, path: Path) -> WriteError:
    """What the system says against writing a file or folder, as an error of ours."""
    return WriteError(f"could not be written: {os_message(error)}", path, advice="The previous file is unchanged.")

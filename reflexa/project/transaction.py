"""Several files of a project written as one: after a kill at any moment all of them are as they were, or as they were to be.

New contents are laid beside (in the project's own ``.reflexa`` folder), then a list of what is to be done is put there in one
move: that is the moment that decides. Whoever opens the project next finishes what the list says, or clears away what has none.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec

from reflexa.errors import ReadError, WriteError, os_message
from reflexa.formats.files import PART, write_failed
from reflexa.progress import Progress, quiet

# What the project keeps for itself: no part of it, and nothing for version control.
OWN = ".reflexa"
_LIST, _STAGED = "save.json", "save-"


class _Todo(msgspec.Struct):
    """put: file (relative to the project) → its new contents' name in ``folder``; remove: files that go."""

    folder: str
    put: dict[str, str]
    remove: list[str]


def own(folder: Path) -> Path:
    """The project's own folder, made where it is not there yet. Raises OSError."""
    place = folder / OWN
    if not place.is_dir():
        place.mkdir(parents=True, exist_ok=True)
        (place / ".gitignore").write_text("*\n")
    return place


def commit(folder: Path, files: Mapping[str, bytes], remove: Iterable[str] = (), tell: Progress = quiet) -> None:
    """Write files (by their names relative to the folder) and remove others, all or nothing. Raises WriteError, and what
    ``tell`` raises to stop it: nothing has happened then."""
    remove = [r for r in remove if r not in files]
    if not files and not remove:
        return
    staged, place = None, folder / OWN
    try:
        finish(folder)
        own(folder)
        staged = Path(tempfile.mkdtemp(prefix=_STAGED, dir=place))
        put = {}
        for i, (name, data) in enumerate(files.items()):
            tell("", i / len(files))
            put[name] = str(i)
            _flushed(staged / str(i), data)
        _sync(staged)
        todo = _Todo(staged.name, put, remove)
        _flushed(staged / _LIST, msgspec.json.encode(todo))
        os.replace(staged / _LIST, place / _LIST)  # from here on it is decided
        _sync(place)
    except BaseException as e:
        if staged is not None and not (place / _LIST).exists():  # else it is decided, and is finished next time
            shutil.rmtree(staged, ignore_errors=True)
        if isinstance(e, OSError | ValueError):
            raise write_failed(e, folder) from None
        raise
    try:
        _carry_out(folder, todo)
    except OSError as e:
        # Decided, and not done: it is finished when the project is opened, or saved, next.
        raise WriteError(f"was saved partly: {os_message(e)}", folder, advice="The next save completes it.") from None


def finish(folder: Path) -> bool:
    """Finish a save that was cut off, and clear away what others left; True where there was one to finish. Raises ReadError
    where it cannot be finished."""
    place = folder / OWN
    try:
        if not place.is_dir():
            return False
    except (OSError, ValueError):
        return False  # whoever reads the project says what is wrong with it
    todo = _read(place / _LIST)
    try:
        if todo is not None:
            _carry_out(folder, todo)
    except OSError as e:
        raise ReadError(
            f"a save was interrupted and cannot be completed: {os_message(e)}", folder,
            advice="Make the folder writable.",
        ) from None  # fmt: skip
    with contextlib.suppress(OSError):
        for left in place.glob(f"{_STAGED}*"):
            shutil.rmtree(left, ignore_errors=True)
        for left in (p for d in (folder, folder / "takes", folder / "rigs") for p in d.glob(f".*{PART}")):
            left.unlink(missing_ok=True)
    return todo is not None


def _read(path: Path) -> _Todo | None:
    try:
        todo = msgspec.json.decode(path.read_bytes(), type=_Todo)
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError):
        return None
    names = [*todo.put, *todo.remove, *todo.put.values(), todo.folder]
    return None if any(Path(n).is_absolute() or ".." in Path(n).parts or "\0" in n for n in names) else todo


def _carry_out(folder: Path, todo: _Todo) -> None:
    """Once or again: what is done already is passed over."""
    staged = folder / OWN / todo.folder
    for name, part in todo.put.items():
        if (staged / part).is_file():
            to = folder / name
            to.parent.mkdir(parents=True, exist_ok=True)
            os.replace(staged / part, to)
    for name in todo.remove:
        (folder / name).unlink(missing_ok=True)
    for touched in {(folder / name).parent for name in (*todo.put, *todo.remove)}:
        if touched.is_dir():
            _sync(touched)
    (folder / OWN / _LIST).unlink(missing_ok=True)
    shutil.rmtree(staged, ignore_errors=True)


def _flushed(path: Path, data: bytes) -> None:
    with path.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _sync(folder: Path) -> None:
    """Have a folder's names on disk, where the system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)

"""What was edited and not saved, kept beside the project so that nothing is lost with the process; and finding it again."""

from __future__ import annotations

import contextlib
import os
import socket
import tempfile
from dataclasses import dataclass
from pathlib import Path

import msgspec

from reflexa import places
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats.files import write_bytes
from reflexa.project import lock, store
from reflexa.project.store import Project
from reflexa.project.transaction import OWN, own

_PREFIX, _KEPT = "recovery-", "declined-"


class _Saved(msgspec.Struct):
    """files: the project's texts by their relative names, as they would have been saved."""

    reflexa: str
    host: str
    pid: int
    files: dict[str, str]


@dataclass(frozen=True, eq=False)
class Recovered:
    """An edited project that was not saved, and the file that it was found in."""

    path: Path
    project: Project


def drafts() -> Path:
    """Where projects lie that have no place of their own yet: the user's folder for state, which no system clears away."""
    return places.state_folder() / "drafts"


def new_draft() -> Path:
    """A folder for a project that has no place yet."""
    drafts().mkdir(parents=True, exist_ok=True)
    return Path(tempfile.mkdtemp(prefix="draft-", dir=drafts()))


def keep(project: Project, folder: Path) -> None:
    """Keep a project as it is now, whole or not at all. Raises WriteError."""
    files = {name: data.decode() for name, data in store.texts(project).items()}
    saved = _Saved("recovery", socket.gethostname(), os.getpid(), files)
    with contextlib.suppress(OSError):
        own(folder)
    write_bytes(_mine(folder), msgspec.json.encode(saved), overwrite=True)


def forget(folder: Path) -> None:
    """What is kept is saved, or not wanted any more."""
    with contextlib.suppress(OSError):
        _mine(folder).unlink(missing_ok=True)


def _mine(folder: Path) -> Path:
    return folder / OWN / f"{_PREFIX}{socket.gethostname()}-{os.getpid()}.json"


def found(folder: Path) -> Recovered | None:
    """What was not saved in a folder, the newest; None where there is nothing that can be read. For whoever holds its lock, or
    knows that nobody does: then the process that edited it is no more."""
    paths = (folder / OWN).glob(f"{_PREFIX}*.json") if (folder / OWN).is_dir() else ()
    for path in sorted(paths, key=_written, reverse=True):
        try:
            saved = msgspec.json.decode(path.read_bytes(), type=_Saved)
            return Recovered(path, _project(saved, folder))
        except (OSError, msgspec.MsgspecError, UnicodeDecodeError, ReflexaError):
            continue
    return None


def _written(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0


def _project(saved: _Saved, folder: Path) -> Project:
    """The project that texts say, read as if they were saved."""
    with tempfile.TemporaryDirectory(prefix="reflexa-") as temporary:
        for name, text in saved.files.items():
            if Path(name).is_absolute() or ".." in Path(name).parts:
                raise ReadError("refers to files outside the project", folder)
            path = Path(temporary) / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        return store.load(Path(temporary))


def decline(recovered: Recovered) -> None:
    """Leave it where it is, and ask no more: both it and the project stay as they are."""
    with contextlib.suppress(OSError):
        recovered.path.rename(recovered.path.with_name(recovered.path.name.replace(_PREFIX, _KEPT, 1)))


def lost_drafts() -> list[Path]:
    """Drafts with something that was not saved, of processes that are no more; the newest first."""
    folders = drafts().glob("draft-*") if drafts().is_dir() else ()
    return sorted((f for f in folders if lock.is_free(f) and found(f) is not None), key=_written, reverse=True)

"""Where the application keeps what is its own: settings, state, caches and the log.

Each lies in the user's folder for such things (on Linux as the XDG Base Directory Specification says: ``XDG_CONFIG_HOME``,
``XDG_STATE_HOME``, ``XDG_CACHE_HOME``). Where there is no such folder, as for a user without a home, the system's
temporary one stands in for it.
"""

from __future__ import annotations

import os
import stat
import sys
import tempfile
from contextlib import suppress
from functools import cache as once
from pathlib import Path

from platformdirs import user_cache_path, user_config_path, user_log_path, user_state_path

_NAME = "reflexa"


def settings_folder() -> Path:
    """What a person has set: the list of the library."""
    return _at_home(user_config_path(_NAME))


def state_folder() -> Path:
    """What would be missed and nobody has set: drafts, what people say of clips in the library that are not theirs."""
    return _at_home(user_state_path(_NAME))


def cache_folder() -> Path:
    """What can be made anew: compiled loops, the index of the library, digests."""
    return _at_home(user_cache_path(_NAME))


def log_file() -> Path:
    """What went wrong that nobody expected, with the way to it."""
    return _at_home(user_log_path(_NAME)) / "reflexa.log"


def _at_home(path: Path) -> Path:
    """The path; one in the temporary folder where the user has no home that the system knows of."""
    return path if path.is_absolute() and "~" not in path.parts else _temporary() / path.name


def _temporary() -> Path:
    return Path(tempfile.gettempdir()) / f"{_NAME}-{os.getuid()}"


@once
def writable_cache() -> Path | None:
    """A cache folder that can be written: the user's, else one of the user's own in the temporary folder, else None; that it
    is not the first is said once, on standard error."""
    wanted = cache_folder()
    if _can_be_written(wanted):
        return wanted
    other = _temporary()
    found = other if _can_be_written(other, alone=True) else None
    said = f"{other} is used" if found is not None else "nothing is kept, and the next start takes longer"
    print(f"note: the cache folder {wanted} cannot be written: {said}", file=sys.stderr)
    return found


def _can_be_written(folder: Path, alone: bool = False) -> bool:
    """alone: nobody else may be able to write there, since code is loaded from it."""
    with suppress(OSError, ValueError):
        folder.mkdir(parents=True, exist_ok=True, mode=0o700 if alone else 0o777)
        status = folder.lstat()
        if alone and (status.st_uid != os.getuid() or stat.S_IMODE(status.st_mode) & 0o022 or folder.is_symlink()):
            return False
        with tempfile.TemporaryFile(dir=folder) as file:
            file.write(b"\0" * (1 << 16))
            file.flush()
            os.fsync(file.fileno())
        return True
    return False

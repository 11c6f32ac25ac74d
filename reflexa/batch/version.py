"""Which version of our computation this is: equal for equal code, wherever it lies."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from pathlib import Path

import reflexa
from reflexa import plugins

# Whatever decides what is written; windows, pages and commands do not.
_HOUSES = ("motion", "rig", "formats", "stage", "steps", "take", "checks", "project", "batch")


@lru_cache(maxsize=1)
def computation() -> str:
    """A digest of the code that results come from, and the names and versions of installed packages that bring more."""
    root = Path(reflexa.__file__).parent
    h = hashlib.sha256("\n".join([reflexa.__version__, *plugins.installed()]).encode())
    for house in _HOUSES:
        for path in sorted((root / house).rglob("*.py")):
            h.update(path.relative_to(root).as_posix().encode())
            h.update(path.read_bytes())
    return h.hexdigest()[:16]

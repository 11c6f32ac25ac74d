"""Which version of our computation this is: equal for equal code, wherever it lies."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from pathlib import Path

import reflexa
from reflexa import plugins

# Houses that decide nothing of what is written; all others do.
_OTHERS = ("cli", "demo", "desktop", "draw", "install", "library", "pages", "review", "session")


@lru_cache(maxsize=1)
def computation() -> str:
    """A digest of the code that results come from, and the names and versions of installed packages that bring more."""
    root = Path(reflexa.__file__).parent
    h = hashlib.sha256("\n".join([reflexa.__version__, *plugins.installed()]).encode())
    for path in sorted(root.rglob("*.py")):
        within = path.relative_to(root)
        if within.parts[0] not in _OTHERS:
            h.update(within.as_posix().encode())
            h.update(path.read_bytes())
    return h.hexdigest()[:16]

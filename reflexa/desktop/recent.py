"""Projects that were open lately, the newest first."""

from __future__ import annotations

import tempfile
from pathlib import Path

from PySide6.QtCore import QSettings

from reflexa.project.store import PROJECT
from reflexa.session.sources import DEMO_PREFIX

_KEY, _MOST = "recent", 12


def recent() -> list[Path]:
    """Folders of projects, the newest first; those that are gone are left out."""
    kept = QSettings().value(_KEY, [])
    named = [kept] if isinstance(kept, str) else list(kept or [])  # type: ignore[call-overload]
    return [p for n in named if (p := Path(str(n))).joinpath(PROJECT).is_file()]


def remember(folder: Path) -> None:
    """A project was opened or saved here. Copies of the demo come and go, and are none."""
    if folder.parent.parent == Path(tempfile.gettempdir()) and folder.parent.name.startswith(DEMO_PREFIX):
        return
    now = [folder, *(p for p in recent() if p != folder)][:_MOST]
    QSettings().setValue(_KEY, [str(p) for p in now])

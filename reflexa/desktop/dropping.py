"""What is dragged: clips of the project, those of a library folder, which come into the project first, and recipes."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec
from PySide6.QtCore import QMimeData

from reflexa.session.session import Session
from reflexa.take import Source

CLIPS, LIBRARY = "application/x-reflexa-clips", "application/x-reflexa-library-clips"
RECIPE = "application/x-reflexa-recipe"
Then = Callable[[list[Source]], object]


def of_sources(sources: Sequence[Source]) -> QMimeData:
    """Clips of the project, to be dragged."""
    data = QMimeData()
    plain = [(s.file, s.clip) for s in sources]
    if plain:
        data.setData(CLIPS, msgspec.json.encode(plain))
    return data


def of_picks(picks: Sequence[tuple[Path, str]]) -> QMimeData:
    """Clips in a library folder, to be dragged: files go as bytes in hexadecimal, for a name may be no text."""
    data = QMimeData()
    plain = [(os.fsencode(path).hex(), clip) for path, clip in picks]
    if plain:
        data.setData(LIBRARY, msgspec.json.encode(plain))
    return data


def _pairs(data: QMimeData, kind: str) -> list[tuple[str, str]]:
    try:
        return msgspec.json.decode(data.data(kind).data(), type=list[tuple[str, str]]) if data.hasFormat(kind) else []
    except msgspec.DecodeError:
        return []


def sources_of(data: QMimeData) -> list[Source]:
    """The clips of the project that are dragged; none where it is something else."""
    return [Source(*pair) for pair in _pairs(data, CLIPS)]


def picks_of(data: QMimeData) -> list[tuple[Path, str]]:
    """The clips in a library folder that are dragged; none where it is something else."""
    try:
        return [(Path(os.fsdecode(bytes.fromhex(path))), clip) for path, clip in _pairs(data, LIBRARY)]
    except ValueError:
        return []


def of_recipe(name: str) -> QMimeData:
    """A recipe of the project, to be dragged."""
    data = QMimeData()
    if name:
        data.setData(RECIPE, name.encode(errors="replace"))
    return data


def recipe_of(data: QMimeData) -> str:
    """The name of the recipe that is dragged; an empty text where it is something else."""
    return bytes(data.data(RECIPE).data()).decode(errors="replace") if data.hasFormat(RECIPE) else ""


def holds_clips(data: QMimeData) -> bool:
    """True if clips are dragged."""
    return data.hasFormat(CLIPS) or data.hasFormat(LIBRARY)


def dropped(session: Session, data: QMimeData, then: Then) -> bool:
    """Do something with the clips that were dropped, once they are in the project; False where they are none."""
    sources, picks = sources_of(data), picks_of(data)
    if sources:
        then(sources)
    elif picks:
        session.incoming.emit(picks, then)
    return bool(sources or picks)

"""Numbers of the cards that are no steps, and the clip of a source."""

from __future__ import annotations

from reflexa.formats import Imported
from reflexa.formats.gltf.read import rest_of
from reflexa.motion.clip import Clip

SOURCE_CARD, RESULT_CARD = -1, -2


def clip_of(document: Imported, name: str) -> Clip | None:
    """A clip of a file by name; the rest pose of a file that has none."""
    found = next((c for c in document.clips if c.name == name), None)
    return found or (rest_of(document) if not document.clips else None)

"""Rig documents as files (``*.rig.json``): what is known of a rig, and its skeleton where it carries one."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from reflexa.errors import ReadError, misfit
from reflexa.formats.documents import read_document
from reflexa.rig import notes as rig_notes
from reflexa.rig.notes import Notes

SUFFIX = ".rig.json"


@dataclass(frozen=True)
class RigDocument:
    """name and key of the rig that it speaks of, the notes, and saved fields that this version does not know."""

    name: str
    key: str
    notes: Notes
    unknown: dict[str, Any] = field(default_factory=dict)

    def plain(self) -> dict[str, Any]:
        """As plain data, in its saved order."""
        return rig_notes.to_plain(self.notes, self.name, self.key, self.unknown)


def read_rig(path: Path) -> RigDocument:
    """Read a rig document. Raises ReadError for what is no such file, is damaged or newer."""
    data = read_document(path, "rig", rig_notes.VERSION)
    try:
        notes, unknown = rig_notes.from_plain(data)
    except (msgspec.ValidationError, AttributeError) as e:
        reason, place = misfit(e)
        raise ReadError(reason, path, place.removeprefix(".")) from None
    return RigDocument(str(data.get("name", path.name.split(".")[0])), str(data.get("skeleton", "")), notes, unknown)

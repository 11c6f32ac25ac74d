"""A take as plain data, in its saved order, and back."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from reflexa.errors import ReadError, ReflexaError
from reflexa.stage.store import stage_from_plain, stage_plain
from reflexa.steps import steps_from_plain, to_plain
from reflexa.take import Accepted, Export, Range, Segment, Source, Take, Varies, View

# 2: steps have ids, and refer to each other by them.
TAKE_VERSION = 2
_ACCEPTED = ("kind", "joint", "first", "last")


def take_plain(take: Take) -> dict[str, Any]:
    """A take as plain data in its saved order."""
    export = {k: getattr(take.export, k) for k in Export.__dataclass_fields__}
    default = Export()
    return {
        "reflexa": "take",
        "version": TAKE_VERSION,
        **({"id": take.id} if take.id else {}),
        "name": take.name,
        **({"folder": take.folder} if take.folder else {}),
        **({"note": take.note} if take.note else {}),
        **({"varies": msgspec.to_builtins(take.varies)} if take.varies is not None else {}),
        "source": _source_plain(take.source),
        "steps": [to_plain(s) for s in take.steps],
        "export": {k: v for k, v in export.items() if v != getattr(default, k)},
        **(
            {"ranges": [told_fields(r, Range("", 0, 0), ("name", "first", "last")) for r in take.ranges]}
            if take.ranges
            else {}
        ),
        **({"stage": stage_plain(take.stage)} if take.stage.props else {}),
        **(
            {"accepted": [told_fields(a, Accepted("", "", 0, 0), _ACCEPTED) for a in take.accepted]}
            if take.accepted
            else {}
        ),
        **(
            {"views": [told_fields(v, View(""), ("name", "target", "yaw", "pitch", "distance")) for v in take.views]}
            if take.views
            else {}
        ),
        **take.unknown,
    }


def _source_plain(source: Source) -> dict[str, Any]:
    out: dict[str, Any] = {"file": source.file, "clip": source.clip}
    if source.segments:
        out["segments"] = [told_fields(s, Segment("", ""), ("file", "clip")) for s in source.segments]
    return out


def told_fields(value: Any, default: Any, always: tuple[str, ...]) -> dict[str, Any]:
    """The fields of a value that are not as they are by default."""
    fields = {k: getattr(value, k) for k in value.__dataclass_fields__}
    return {k: v for k, v in fields.items() if k in always or v != getattr(default, k)}


def take_from_plain(data: Mapping[str, Any], path: Path) -> Take:
    """The opposite of ``take_plain``. Raises ReadError with file, place and reason."""
    try:
        source = msgspec.convert(data["source"], dict[str, Any])
        export = msgspec.convert(data.get("export", {}), Export)
        # Takes of version 1 have no ids: their steps are numbered, and what named a step by its name names its id.
        steps = steps_from_plain(data.get("steps", []))
        known = {
            "reflexa",
            "version",
            "id",
            "name",
            "source",
            "steps",
            "export",
            "stage",
            "ranges",
            "accepted",
            "views",
            "folder",
            "note",
            "varies",
        }
        unknown = {k: v for k, v in data.items() if k not in known}
        stage = stage_from_plain(data.get("stage", {}), path, "stage")
        segments = msgspec.convert(source.get("segments", []), tuple[Segment, ...])
        ranges = msgspec.convert(data.get("ranges", []), tuple[Range, ...])
        accepted = msgspec.convert(data.get("accepted", []), tuple[Accepted, ...])
        views = msgspec.convert(data.get("views", []), tuple[View, ...])
        made = Source(text_in(source, "file"), text_in(source, "clip"), segments)
        name, own = text_in(data, "name"), text_in(data, "id") if "id" in data else ""
        folder, note = (text_in(data, f) if f in data else "" for f in ("folder", "note"))
        varies = msgspec.convert(data.get("varies"), Varies | None)
        return Take(name, made, steps, export, unknown, stage, ranges, accepted, views, own, folder, note, varies)
    except ReflexaError as e:
        raise ReadError(e.reason, path, e.place, e.advice) from None
    except (KeyError, TypeError, ValueError, RecursionError) as e:
        raise ReadError(f"is damaged: {misread(e)}", path) from None


def text_in(data: Mapping[str, Any], field_: str) -> str:
    """A text in saved data; numbers are taken for one, as earlier versions did."""
    value = data[field_]
    if not isinstance(value, str | int | float) or "\0" in str(value):
        raise ValueError(f"{field_} is no text")
    return str(value)


def misread(e: Exception) -> str:
    """Why saved data could not be read, in words."""
    if isinstance(e, RecursionError):
        return "nested too deeply"
    return f"{e} is missing" if isinstance(e, KeyError) else str(e)

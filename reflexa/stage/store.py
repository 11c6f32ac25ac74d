"""Stages as files: our own documents (``*.stage.json``), and props read from simple GLB meshes."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from reflexa.errors import ReadError, misfit
from reflexa.formats import by_suffix, with_meshes
from reflexa.formats.documents import read_document
from reflexa.names import readable
from reflexa.stage.model import MOST_TRIANGLES, Prop, Stage
from reflexa.stage.presets import meshed

VERSION = 1
SUFFIX = ".stage.json"


def stage_plain(stage: Stage) -> dict[str, Any]:
    """A stage as plain data, as it stands in a take."""
    return {"props": [msgspec.to_builtins(p) for p in stage.props]}


def document(stage: Stage) -> dict[str, Any]:
    """A stage as a document of its own."""
    return {"reflexa": "stage", "version": VERSION, **stage_plain(stage)}


def stage_from_plain(data: Any, path: Path | str = "", place: str = "") -> Stage:
    """The opposite of ``stage_plain``. Raises ReadError with file, place and reason."""
    try:
        return msgspec.convert(data, Stage)
    except msgspec.ValidationError as e:
        reason, where = misfit(e)
        raise ReadError(reason, path, ".".join(p for p in (place, where.removeprefix(".")) if p)) from None


def read_stage(path: Path) -> Stage:
    """The stage in a file: one of our own documents, or the meshes of a model as a prop. Raises ReadError."""
    format = by_suffix(path)
    if format is not None and format.triangles is not None:
        return Stage((read_prop(path),))
    data: Mapping[str, Any] = read_document(path, "stage", VERSION)
    return stage_from_plain({k: v for k, v in data.items() if k not in ("reflexa", "version")}, path)


def read_prop(path: Path) -> Prop:
    """The meshes of a file as one prop, named as the file. Raises ReadError, also for too many triangles."""
    format = by_suffix(path)
    if format is None or format.triangles is None:
        known = ", ".join(f.suffix for f in with_meshes())
        raise ReadError("contains no meshes that can be read", path, advice=f"Meshes are read from {known} files.")
    triangles = format.triangles(path, MOST_TRIANGLES)
    if not len(triangles):
        raise ReadError("contains no triangles", path, advice="A prop is read from a file with a mesh.")
    low, high = triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0)
    base = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    if np.any(high - low > 1000):
        raise ReadError(f"is {float((high - low).max()):.0f} m large", path, advice="A prop is at most 1000 m large.")
    prop = meshed(readable(path.stem), triangles - base)
    return msgspec.structs.replace(prop, place=(float(base[0]), float(base[1]), float(base[2])))

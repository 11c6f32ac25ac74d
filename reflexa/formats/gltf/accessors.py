"""Typed arrays of glTF 2.0: bounds, strides, sparse parts, normalised integers; and the bin that new ones go into."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.errors import ReadError
from reflexa.formats.gltf.container import GltfFile, Json
from reflexa.motion.arrays import Array

_TYPES = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_SIZES = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
# More elements than this are refused where no buffer backs them (an accessor may be all zeros).
_MOST_UNBACKED = 1 << 20


def _whole(value: Any, file: GltfFile, place: str) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise ReadError(f"{value!r} is not a whole number of 0 or more", file.path, place)
    return value


def item(file: GltfFile, key: str, index: Any, place: str) -> Json:
    """Entry ``index`` of a top-level array; raises ReadError where there is none."""
    all_items = file.items(key)
    i = _whole(index, file, place)
    if i >= len(all_items):
        raise ReadError(f"names {key}[{i}] of {len(all_items)}", file.path, place)
    return all_items[i]


@dataclass(frozen=True)
class _Numbers:
    """``(count, width)`` numbers of a type."""

    count: int
    width: int
    kind: np.dtype[Any]


def _view(file: GltfFile, index: Any, place: str, start: int, of: _Numbers) -> NDArray[Any]:
    """Numbers out of a buffer view, with its stride."""
    count, width, kind = of.count, of.width, of.kind
    view = item(file, "bufferViews", index, place)
    where = f"bufferViews[{index}]"
    which = _whole(view.get("buffer"), file, where)
    if which >= len(file.buffers):
        raise ReadError(f"names buffers[{which}] of {len(file.buffers)}", file.path, where)
    data = file.buffers[which]
    begin = _whole(view.get("byteOffset", 0), file, where)
    length = _whole(view.get("byteLength"), file, where)
    if begin + length > len(data):
        raise ReadError(f"ends at byte {begin + length:,} of a buffer of {len(data):,}", file.path, where)
    size = kind.itemsize * width
    stride = _whole(view.get("byteStride", 0), file, where) or size
    if count and start + stride * (count - 1) + size > length:
        raise ReadError(
            f"needs {start + stride * (count - 1) + size:,} bytes of a view of {length:,}", file.path, place
        )
    if count == 0:
        return np.empty((0, width), kind)
    return np.ndarray((count, width), kind, data, begin + start, (stride, kind.itemsize))


def read(file: GltfFile, index: Any, place: str, kind: str | None = None) -> NDArray[Any]:
    """An accessor as ``(count, width)``: floats as float64, normalised integers scaled, others as they are.

    kind: the type it must have, such as ``"VEC3"``. Raises ReadError.
    """
    accessor = item(file, "accessors", index, place)
    where = f"accessors[{index}]"
    shape = accessor.get("type")
    if shape not in _SIZES or (kind is not None and shape != kind):
        raise ReadError(f"is {shape!r}" + (f", not {kind}" if kind else ""), file.path, where)
    component = accessor.get("componentType")
    if component not in _TYPES:
        raise ReadError(f"has the unknown component type {component!r}", file.path, where)
    dtype = np.dtype(_TYPES[component])
    count = _whole(accessor.get("count"), file, where)
    width = _SIZES[shape]
    if "bufferView" in accessor:
        start = _whole(accessor.get("byteOffset", 0), file, where)
        values = _view(file, accessor["bufferView"], where, start, _Numbers(count, width, dtype))
    elif count > _MOST_UNBACKED:
        raise ReadError(f"declares {count:,} elements without data", file.path, where)
    else:
        values = np.zeros((count, width), dtype)
    if "sparse" in accessor:
        values = _with_sparse(file, accessor["sparse"], where, values, dtype)
    if dtype.kind == "f":
        with np.errstate(invalid="ignore"):  # what is no number is told just below
            out: Array = values.astype(np.float64)
        if not np.isfinite(out).all():
            bad = int(np.argwhere(~np.isfinite(out))[0][0])
            raise ReadError(f"element {bad} is not a finite number", file.path, where)
        return out
    if accessor.get("normalized"):
        # glTF 2.0, section 3.11: signed values clamp so that -128 and -127 both mean -1.
        return np.maximum(values.astype(np.float64) / np.iinfo(dtype).max, -1.0)
    return np.array(values)


def _with_sparse(file: GltfFile, sparse: Any, where: str, values: NDArray[Any], dtype: np.dtype[Any]) -> NDArray[Any]:
    if not isinstance(sparse, dict):
        raise ReadError("sparse is not an object", file.path, where)
    count = _whole(sparse.get("count"), file, where)
    indices, replaced = sparse.get("indices", {}), sparse.get("values", {})
    if indices.get("componentType") not in (5121, 5123, 5125):
        raise ReadError("sparse indices have the wrong component type", file.path, where)
    kind = np.dtype(_TYPES[indices["componentType"]])
    first = _whole(indices.get("byteOffset", 0), file, where)
    at = _view(file, indices.get("bufferView"), where, first, _Numbers(count, 1, kind))
    first = _whole(replaced.get("byteOffset", 0), file, where)
    new = _view(file, replaced.get("bufferView"), where, first, _Numbers(count, values.shape[1], dtype))
    if count and int(at.max()) >= len(values):
        raise ReadError(f"sparse index {int(at.max())} of {len(values)}", file.path, where)
    out = np.array(values)
    out[at[:, 0].astype(np.intp)] = new
    return out


class Bin:
    """Collects the data of a file being written: one buffer, 4-byte aligned views, new accessors.

    free: numbers of views and accessors whose places new ones take first.
    """

    def __init__(
        self,
        views: list[Json],
        accessors: list[Json],
        data: bytes = b"",
        free: tuple[list[int], list[int]] | None = None,
    ) -> None:
        self.views, self.accessors = views, accessors
        self.free: tuple[list[int], list[int]] = free or ([], [])
        self._parts = [data] if data else []
        self._length = len(data)

    @property
    def data(self) -> bytes:
        """The buffer: what was placed up to now."""
        return b"".join(self._parts)

    def place(self, data: bytes) -> int:
        """Append bytes at the next multiple of eight; their offset."""
        pad = -self._length % 8
        self._parts.append(b"\0" * pad + data)
        at = self._length + pad
        self._length = at + len(data)
        return at

    def add_view(self, data: bytes, target: int | None = None) -> int:
        """Store raw bytes as a buffer view; its index."""
        view: Json = {"buffer": 0, "byteOffset": self.place(data), "byteLength": len(data)}
        if target is not None:
            view["target"] = target
        return _put(self.views, self.free[0], view)

    def add(
        self,
        values: NDArray[Any],
        kind: str,
        dtype: str = "<f4",
        target: int | None = None,
        bounds: bool = False,
    ) -> int:
        """Store an array ``(count, …)`` as an accessor of type ``kind``; its index. bounds: write min and max."""
        flat = np.ascontiguousarray(values, dtype=dtype).reshape(len(values), -1)
        accessor: Json = {
            "bufferView": self.add_view(flat.tobytes(), target),
            "componentType": next(c for c, t in _TYPES.items() if t == dtype),
            "count": len(flat),
            "type": kind,
        }
        if bounds:
            accessor["min"] = flat.min(axis=0).tolist()
            accessor["max"] = flat.max(axis=0).tolist()
        return _put(self.accessors, self.free[1], accessor)


def _put(items: list[Json], free: list[int], new: Json) -> int:
    if free:
        at = free.pop(0)
        items[at] = new
        return at
    items.append(new)
    return len(items) - 1

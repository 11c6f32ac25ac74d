"""What kind of value stands where in a glTF file, looked at once before anything is read of it: whatever is of another kind is
named with its place. (glTF 2.0, chapter 5; of what is read here.)"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from reflexa.errors import ReadError

_INT, _NUMBER, _TEXT, _YES = "a whole number", "a number", "a text", "true or false"
_INTS, _NUMBERS = [_INT], [_NUMBER]
_SPARSE = {
    "count": _INT, "indices": {"bufferView": _INT, "byteOffset": _INT, "componentType": _INT},
    "values": {"bufferView": _INT, "byteOffset": _INT},
}  # fmt: skip
# A list says what each of its entries is; "*" stands for any name.
_FILE: dict[str, Any] = {
    "asset": {},
    "scene": _INT,
    "scenes": [{"nodes": _INTS}],
    "nodes": [{
        "children": _INTS, "mesh": _INT, "skin": _INT, "matrix": _NUMBERS, "rotation": _NUMBERS, "translation": _NUMBERS,
        "scale": _NUMBERS, "weights": _NUMBERS,
    }],
    "meshes": [{
        "primitives": [{
            "attributes": {"*": _INT}, "indices": _INT, "material": _INT, "mode": _INT, "targets": [{"*": _INT}],
        }],
        "weights": _NUMBERS,
    }],
    "skins": [{"joints": _INTS, "inverseBindMatrices": _INT, "skeleton": _INT}],
    "animations": [{
        "channels": [{"sampler": _INT, "target": {"node": _INT, "path": _TEXT}}],
        "samplers": [{"input": _INT, "output": _INT, "interpolation": _TEXT}],
    }],
    "accessors": [{
        "bufferView": _INT, "byteOffset": _INT, "componentType": _INT, "count": _INT, "type": _TEXT, "normalized": _YES,
        "sparse": _SPARSE,
    }],
    "bufferViews": [{"buffer": _INT, "byteOffset": _INT, "byteLength": _INT, "byteStride": _INT}],
    "buffers": [{"byteLength": _INT, "uri": _TEXT}],
    "images": [{"uri": _TEXT, "bufferView": _INT, "mimeType": _TEXT}],
    "materials": [{"pbrMetallicRoughness": {"baseColorFactor": _NUMBERS}}],
}  # fmt: skip


def check(json: dict[str, Any], path: Path) -> None:
    """Raises ReadError for the first value of a wrong kind, with its place."""
    _each(json, _FILE, path, "")


def _each(value: Any, wanted: Any, path: Path, place: str) -> None:
    if isinstance(wanted, dict):
        if not isinstance(value, dict):
            raise _wrong(value, "an object", path, place)
        for key, inner in value.items():
            kind = wanted.get(key, wanted.get("*"))
            if kind is not None:
                _each(inner, kind, path, f"{place}.{key}" if place else key)
    elif isinstance(wanted, list):
        if not isinstance(value, list):
            raise _wrong(value, "a list", path, place)
        for i, inner in enumerate(value):
            _each(inner, wanted[0], path, f"{place}[{i}]")
    elif not _fits(value, wanted):
        raise _wrong(value, wanted, path, place)


def _fits(value: Any, kind: str) -> bool:
    if kind == _YES:
        return isinstance(value, bool)
    if kind == _TEXT:
        return isinstance(value, str) and "\0" not in value
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    return abs(value) < 1e300 and (kind == _NUMBER or (isinstance(value, int) and 0 <= value < 1 << 53))


def _wrong(value: Any, wanted: str, path: Path, place: str) -> ReadError:
    said = repr(value)
    return ReadError(f"is {said if len(said) < 40 else said[:37] + '…'} instead of {wanted}", path, place or "the file")

"""The outer shell of glTF 2.0: GLB chunks, JSON, buffers; and putting them together again.

Bounds are checked before memory is taken. Buffers are read from the file, from data URIs, and from files in the
same folder or below; never from anywhere else.
"""

from __future__ import annotations

import base64
import binascii
import struct
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import msgspec

from reflexa.errors import ReadError, os_message
from reflexa.formats.files import read_bytes
from reflexa.formats.gltf import shape

_GLB = 0x46546C67
_JSON, _BIN = 0x4E4F534A, 0x004E4942

Json = dict[str, Any]


@dataclass(frozen=True, eq=False)
class GltfFile:
    """Decoded JSON and the bytes of each buffer."""

    path: Path
    json: Json
    buffers: tuple[bytes, ...]
    _checked: dict[str, list[Json]] = field(default_factory=dict)

    def items(self, key: str) -> list[Json]:
        """A top-level array of objects, such as ``nodes``; raises ReadError where it is something else."""
        if key not in self._checked:
            value = self.json.get(key, [])
            if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
                raise ReadError("is not a list of objects", self.path, key)
            self._checked[key] = value
        return self._checked[key]

    def put(self, key: str, value: list[Json]) -> None:
        """Another top-level array of objects in the place of the file's."""
        self.json[key] = self._checked[key] = value


def load(path: Path) -> GltfFile:
    """Read a .glb or .gltf file with its buffers. Raises ReadError."""
    data = read_bytes(path)
    binary: bytes | None = None
    if data[:4] == b"glTF":
        text, binary = _chunks(data, path)
    else:
        text = data.removeprefix(b"\xef\xbb\xbf")
    try:
        json = msgspec.json.decode(text)
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as e:
        raise ReadError(f"is not valid JSON ({e})", path, advice="Is it a glTF file?") from None
    if not isinstance(json, dict) or not isinstance(json.get("asset"), dict):
        raise ReadError("has no asset object", path, advice="Is it a glTF 2.0 file?")
    version = str(json["asset"].get("version", ""))
    if not version.startswith("2."):
        raise ReadError(f"is glTF version {version or 'unknown'}; only version 2 can be read", path, "asset")
    shape.check(json, path)
    file = GltfFile(path, json, ())
    buffers = tuple(_buffer(path, i, b, binary) for i, b in enumerate(file.items("buffers")))
    return GltfFile(path, json, buffers)


def _chunks(data: bytes, path: Path) -> tuple[bytes, bytes | None]:
    if len(data) < 20:
        raise ReadError("is cut off inside the GLB header", path, f"byte {len(data)}")
    _, version, length = struct.unpack_from("<III", data)
    if version != 2:
        raise ReadError(f"is GLB version {version}; only version 2 can be read", path, "byte 4")
    if length > len(data):
        raise ReadError(
            f"declares {length:,} bytes and has {len(data):,}",
            path,
            "byte 8",
            "The file may be cut off.",
        )
    text: bytes | None = None
    binary: bytes | None = None
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", data, at)
        if at + 8 + size > length:
            raise ReadError(f"has a chunk of {size:,} bytes that does not fit into it", path, f"byte {at}")
        body = data[at + 8 : at + 8 + size]
        if kind == _JSON and text is None:
            text = body.rstrip(b"\0")  # spaces belong there, and some writers fill up with zeros
        elif kind == _BIN and binary is None:
            binary = body
        at += 8 + size
    if text is None:
        raise ReadError("has no JSON chunk", path, "byte 12")
    return text, binary


def _buffer(path: Path, index: int, buffer: Json, binary: bytes | None) -> bytes:
    place = f"buffers[{index}]"
    uri = buffer.get("uri")
    if uri is None:
        if binary is None or index != 0:
            raise ReadError("has neither a URI nor a binary chunk", path, place)
        data = binary
    else:
        data = fetch(path, str(uri), place)
    length = buffer.get("byteLength")
    if not isinstance(length, int) or length < 0:
        raise ReadError("has no byteLength", path, place)
    if length > len(data):
        raise ReadError(f"declares {length:,} bytes and contains {len(data):,}", path, place)
    return data[:length]


def fetch(path: Path, uri: str, place: str) -> bytes:
    """The bytes that a URI inside ``path`` names: data URIs and files in its folder or below. Raises ReadError."""
    if uri.startswith("data:"):
        head, comma, body = uri.partition(",")
        if not comma or not head.endswith(";base64"):
            raise ReadError("is a data URI that is not base64", path, place)
        try:
            return base64.b64decode(body, validate=True)
        except (binascii.Error, ValueError):
            raise ReadError("is a data URI with damaged base64", path, place) from None
    folder = path.parent.resolve()
    try:
        target = (folder / unquote(uri)).resolve()
        missing = not target.exists()
    except (OSError, ValueError) as e:
        raise ReadError(f"refers to {uri[:60]!r}, which cannot be a file: {os_message(e)}", path, place) from None
    if ":" in uri.split("/")[0] or not target.is_relative_to(folder):
        raise ReadError(f"refers to {uri!r}, which lies outside the folder of the file", path, place)
    if missing:
        raise ReadError(f"needs the file {uri!r}, which is missing", path, place, "Put it next to the glTF file.")
    return read_bytes(target)


def is_there(path: Path, uri: Any) -> bool:
    """Can the bytes that a URI inside ``path`` names be had? Those of no URI, and of a data URI, are in the file."""
    if not isinstance(uri, str) or uri.startswith("data:"):
        return True
    try:
        return (path.parent / unquote(uri)).is_file()
    except (OSError, ValueError):
        return False


def to_glb(json: Json, binary: bytes) -> bytes:
    """GLB bytes of a JSON whose only buffer is ``binary`` (its length is set here)."""
    json = dict(json)
    if binary:
        json["buffers"] = [{"byteLength": len(binary)}]
    else:
        json.pop("buffers", None)
    text = msgspec.json.encode(json)
    text += b" " * (-len(text) % 4)
    body = binary + b"\0" * (-len(binary) % 4)
    out = struct.pack("<II", len(text), _JSON) + text
    if body:
        out += struct.pack("<II", len(body), _BIN) + body
    return struct.pack("<III", _GLB, 2, 12 + len(out)) + out


def to_gltf(json: Json, binary: bytes) -> bytes:
    """The same as one self-contained .gltf text, its buffer as a data URI."""
    json = dict(json)
    if binary:
        uri = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
        json["buffers"] = [{"byteLength": len(binary), "uri": uri}]
    else:
        json.pop("buffers", None)
    return msgspec.json.format(msgspec.json.encode(json), indent=2) + b"\n"

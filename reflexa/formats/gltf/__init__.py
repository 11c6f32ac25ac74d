"""glTF 2.0 and GLB."""

from __future__ import annotations

from pathlib import Path

import msgspec

from reflexa.errors import ReadError
from reflexa.formats.gltf.mesh import triangles_of
from reflexa.formats.gltf.read import read
from reflexa.formats.gltf.write import write
from reflexa.formats.imported import Imported
from reflexa.formats.model import EVERYTHING, Encode, Format, WriteOptions
from reflexa.motion.clip import Clip
from reflexa.rig import Rig


def _encode(binary: bool) -> Encode:
    def encode(clips: list[Clip], rig: Rig, source: Imported | None, options: WriteOptions) -> bytes:
        return write(clips, rig, source, binary, dict(options.notes or {}), options.joints)

    return encode


def _beside(path: Path, data: bytes) -> list[str]:
    """Buffers and images that a text file names."""
    try:
        json = msgspec.json.decode(data)
        entries = [*json.get("buffers", []), *json.get("images", [])]
        named = [e.get("uri", "") for e in entries]
    except (msgspec.DecodeError, AttributeError, TypeError):
        raise ReadError("is not glTF text", path) from None
    return [u for u in named if isinstance(u, str) and u and not u.startswith("data:")]


FORMAT = (
    Format(
        "glb", "glTF 2.0, binary", (".glb",), read, looks_like=lambda head: head[:4] == b"glTF", encode=_encode(True),
        place=10, family="gltf", holds=EVERYTHING, triangles=triangles_of,
    ),
    Format(
        "gltf", "glTF 2.0, text", (".gltf",), read, looks_like=lambda head: head.lstrip()[:1] == b"{",
        encode=_encode(False), place=20, family="gltf", holds=EVERYTHING, beside=_beside, triangles=triangles_of,
    ),
)  # fmt: skip

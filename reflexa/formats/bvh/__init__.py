"""BVH motion capture text."""

from __future__ import annotations

from reflexa.formats.bvh.read import BvhLayout, read
from reflexa.formats.bvh.write import write
from reflexa.formats.imported import Imported
from reflexa.formats.model import Format, WriteOptions
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

__all__ = ["FORMAT", "BvhLayout", "read", "write"]


def _encode(clips: list[Clip], rig: Rig, source: Imported | None, options: WriteOptions) -> bytes:
    return write(clips[0], rig, source, options)


def _looks_like(head: bytes) -> bool:
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:9].upper() == b"HIERARCHY"


FORMAT = Format(
    "bvh", "BVH motion capture text", (".bvh",), read,
    looks_like=_looks_like, encode=_encode, place=50, family="bvh",
    several_clips=False, several_roots=False, declares_unit=False, holds=frozenset(),
)  # fmt: skip

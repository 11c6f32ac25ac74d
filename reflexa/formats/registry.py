"""Which reader and writer serves which file: by suffix, and by content where the suffix says nothing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reflexa.errors import ReadError, WriteError
from reflexa.formats import bvh
from reflexa.formats.gltf import read as gltf_read
from reflexa.formats.gltf import write as gltf_write
from reflexa.formats.imported import Imported, ReadOptions
from reflexa.formats.usd import read as usd_read
from reflexa.formats.usd import write as usd_write
from reflexa.motion.clip import Clip
from reflexa.rig import Rig


@dataclass(frozen=True)
class WriteOptions:
    """frame: ``"source"`` writes as the source was where that can be, ``"clean"`` the format's own standard.
    unit: metres per unit of a clean BVH. notes: put into the file where the format has room for it."""

    frame: str = "source"
    unit: float = 1.0
    notes: dict[str, Any] | None = None


@dataclass(frozen=True)
class Format:
    """One file format. many: can hold several clips in one file."""

    name: str
    title: str
    suffix: str
    looks_like: Callable[[bytes], bool]
    read: Callable[[Path, ReadOptions], Imported]
    write: Callable[[list[Clip], Rig, Imported | None, WriteOptions], bytes]
    many: bool


def _write_bvh(clips: list[Clip], rig: Rig, source: Imported | None, options: WriteOptions) -> bytes:
    return bvh.write(clips[0], rig, source, options.unit)


def _write_gltf(binary: bool) -> Callable[[list[Clip], Rig, Imported | None, WriteOptions], bytes]:
    return lambda clips, rig, source, o: gltf_write.write(clips, rig, source, binary, o.notes)


def _write_usd(text: bool) -> Callable[[list[Clip], Rig, Imported | None, WriteOptions], bytes]:
    return lambda clips, rig, source, o: usd_write.write(clips, rig, source, text, o.notes)


FORMATS: dict[str, Format] = {
    f.name: f
    for f in (
        Format("glb", "glTF 2.0, binary", ".glb", lambda h: h[:4] == b"glTF", gltf_read.read, _write_gltf(True), True),
        Format("gltf", "glTF 2.0, text", ".gltf", lambda h: h.lstrip()[:1] == b"{", gltf_read.read, _write_gltf(False), True),
        Format("usda", "OpenUSD, text", ".usda", lambda h: h[:5] == b"#usda", usd_read.read, _write_usd(True), True),
        Format("usdc", "OpenUSD, binary", ".usdc", lambda h: h[:8] == b"PXR-USDC", usd_read.read, _write_usd(False), True),
        Format("bvh", "BVH motion capture text", ".bvh", lambda h: b"HIERARCHY" in h[:512].upper(), bvh.read, _write_bvh, False),
    )
}  # fmt: skip

# A file that only says .usd tells by its content which of the two it is.
SUFFIXES = (*(f.suffix for f in FORMATS.values()), ".usd")


def format_of(path: Path) -> Format:
    """The format of a file. Raises ReadError where neither suffix nor content tell it, or the file is missing."""
    for f in FORMATS.values():
        if path.suffix.lower() == f.suffix:
            return f
    try:
        with path.open("rb") as file:
            head = file.read(512)
    except OSError as e:
        raise ReadError((e.strerror or str(e)).lower(), path) from None
    for f in FORMATS.values():
        if f.looks_like(head):
            return f
    raise ReadError("is of no kind that is read", path, advice=f"Known are {', '.join(SUFFIXES)}.")


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:  # noqa: B008 (a frozen value)
    """Read any known file. Raises ReadError."""
    chosen = format_of(path)
    try:
        return chosen.read(path, options)
    except RecursionError:
        raise ReadError("is nested too deeply", path) from None
    except MemoryError:
        raise ReadError("needs more memory than there is", path) from None
    except (AttributeError, TypeError, KeyError) as e:
        # A value of a kind that the format does not allow, in a place that no check of ours names.
        raise ReadError(f"has a value of the wrong kind ({e})", path) from e


def encode(
    clips: list[Clip],
    rig: Rig,
    name: str,
    source: Imported | None = None,
    options: WriteOptions = WriteOptions(),
) -> bytes:
    """The bytes of clips of one rig in the format ``name``. source: the file they came from, to be written alike.

    Raises WriteError.
    """
    chosen = FORMATS[name]
    if not clips:
        raise WriteError("there is no clip to write")
    if len(clips) > 1 and not chosen.many:
        raise WriteError(f"{chosen.title} holds one clip and there are {len(clips)}", advice="Choose one.")
    if len(rig.skeleton.roots) > 1 and name == "bvh":
        raise WriteError("BVH holds one root joint and this rig has several", advice="Choose another format.")
    alike = source is not None and options.frame == "source" and _same_kind(source.format, name)
    if alike and source is not None and clips[0].skeleton.names != source.rig.skeleton.names:
        alike = False
    return chosen.write(clips, rig, source if alike else None, options)


def _same_kind(a: str, b: str) -> bool:
    return a == b or {a, b} in ({"glb", "gltf"}, {"usda", "usdc"})

"""OpenUSD (``UsdSkel``): .usda and .usdc, through the usd-core package."""

from __future__ import annotations

from pathlib import Path

from reflexa.formats.imported import Imported
from reflexa.formats.model import EVERYTHING, Encode, Format, WriteOptions
from reflexa.formats.usd import subprocess_reader
from reflexa.formats.usd.read import read
from reflexa.formats.usd.write import write
from reflexa.motion.clip import Clip
from reflexa.rig import Rig


def _encode(text: bool) -> Encode:
    def encode(clips: list[Clip], rig: Rig, source: Imported | None, options: WriteOptions) -> bytes:
        return write(clips, rig, source, text, options)

    return encode


# A file that only says .usd tells by its content which of the two it is.
def _beside(path: Path, data: bytes) -> list[str]:
    """Layers that a file is composed of, and those that they are composed of."""
    return [str(p.relative_to(path.parent.resolve())) for p in subprocess_reader.ask("layers", path)]


FORMAT = (
    Format(
        "usda", "OpenUSD, text", (".usda", ".usd"), read, looks_like=lambda head: head[:5] == b"#usda",
        encode=_encode(True), place=30, family="usd", holds=EVERYTHING, beside=_beside,
    ),
    Format(
        "usdc", "OpenUSD, binary", (".usdc",), read, looks_like=lambda head: head[:8] == b"PXR-USDC",
        encode=_encode(False), place=40, family="usd", holds=EVERYTHING, beside=_beside,
    ),
)  # fmt: skip

"""ASF and AMC: a skeleton as text, and motion for it in a text of its own, as the open motion databases give them.

A bone stands for the joint that it begins at. Its rest is given in the world's axes (direction and length); ``axis`` turns
the axes that its channels turn about. So with C that turn and M the channels', a bone turns in the world by its parent's
turn times C · M · C⁻¹, and its end lies length · direction from its beginning. Angles turn about fixed axes, x first.

Source: the format's own description as the databases publish it; from memory, held against a worked example in the tests.
"""

from __future__ import annotations

from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats.asf_amc.read import read, skeleton_of
from reflexa.formats.imported import ReadOptions
from reflexa.formats.model import Format


def _beside(path: Path, _: bytes) -> list[str]:
    """The skeleton of a motion file."""
    if path.suffix.lower() == ".asf":
        return []
    try:
        return [skeleton_of(path, ReadOptions()).name]
    except ReadError:
        return [f"{path.stem}.asf"]


FORMAT = Format(
    "amc", "ASF and AMC motion capture text", (".amc", ".asf"), read, place=60, family="asf-amc", declares_unit=False,
    beside=_beside,
)  # fmt: skip

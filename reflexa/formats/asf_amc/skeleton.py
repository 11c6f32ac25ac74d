"""The skeleton of an ASF file: bones by name, in the file's own units."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats.asf_amc.text import Text
from reflexa.formats.imported import MOST_JOINTS
from reflexa.motion.arrays import Array

ROOT = "root"
TURNS, MOVES = ("rx", "ry", "rz"), ("tx", "ty", "tz")


@dataclass
class Bone:
    """A bone as the file gives it; ``line`` is where it begins."""

    name: str
    line: int
    direction: Array = field(default_factory=lambda: np.zeros(3))
    length: float = 0.0
    axis: Array = field(default_factory=lambda: np.zeros(3))
    order: str = "xyz"
    channels: tuple[str, ...] = ()
    parent: str = ""


@dataclass
class AsfSkeleton:
    """The whole of an .asf file: bones by name, the root among them, and what its numbers are counted in."""

    bones: dict[str, Bone]
    length: float
    degrees: bool


def read_skeleton(path: Path) -> AsfSkeleton:
    text = Text(path)
    out = AsfSkeleton({ROOT: Bone(ROOT, 0)}, 1.0, True)
    section, bone = "", None
    said: set[str] = set()
    for words in text:
        if words[0].startswith(":"):
            section = words[0].lower()
            said.add(section)
            words = words[1:]
            if not words or section in (":name", ":version", ":documentation"):
                continue
        key = words[0].lower()
        if section == ":units":
            if key == "length":
                out.length = text.numbers(words[1:], 1)[0]
            elif key == "angle":
                out.degrees = words[1:2] != ["rad"]
        elif section == ":root":
            _root_line(text, out.bones[ROOT], key, words[1:])
        elif section == ":bonedata":
            bone = _bone_line(text, out, bone, key, words[1:])
        elif section == ":hierarchy" and key not in ("begin", "end"):
            _hierarchy_line(text, out.bones, words)
    missing = {":root", ":bonedata", ":hierarchy"} - said
    if missing:
        raise ReadError(f"has no {', '.join(sorted(missing))}", path, advice="Is it an ASF skeleton?")
    if bone is not None:
        raise ReadError(f"the bone {bone.name!r} is not closed", path, f"line {bone.line}", "The file may be cut off.")
    loose = [b.name for b in out.bones.values() if b.name != ROOT and not b.parent]
    if loose:
        raise ReadError(f"the hierarchy does not contain {', '.join(loose[:6])}", path, ":hierarchy")
    return out


def _root_line(text: Text, root: Bone, key: str, words: list[str]) -> None:
    if key == "order":
        root.channels = _channels(text, words)
    elif key == "axis":
        root.order = _order(text, words[:1])
    elif key == "orientation":
        root.axis = np.array(text.numbers(words, 3))


def _bone_line(text: Text, out: AsfSkeleton, bone: Bone | None, key: str, words: list[str]) -> Bone | None:
    """One line of ``:bonedata``; gives the bone that is open after it."""
    if key == "begin":
        if bone is not None:
            raise text.bad(f"a bone begins before {bone.name!r} has ended")
        return Bone("", text.number)
    if bone is None:
        raise text.bad(f"{key[:40]!r} is outside a bone")
    if key == "end":
        if not bone.name:
            raise text.bad("a bone has no name")
        if bone.name in out.bones:
            raise text.bad(f"two bones are called {bone.name!r}")
        if len(out.bones) >= MOST_JOINTS:
            raise text.bad(f"there are more than {MOST_JOINTS} bones, the most that can be read")
        size = float(np.linalg.norm(bone.direction))
        if size > 1e-9:
            bone.direction = bone.direction / size
        out.bones[bone.name] = bone
        return None
    if key == "name":
        bone.name = " ".join(words)
    elif key == "direction":
        bone.direction = np.array(text.numbers(words, 3))
    elif key == "length":
        bone.length = text.numbers(words, 1)[0]
    elif key == "axis":
        bone.axis = np.array(text.numbers(words[:3], 3))
        bone.order = _order(text, words[3:])
    elif key == "dof":
        bone.channels = _channels(text, words)
    # ``id``, ``limits``, masses and the like move nothing.
    return bone


def _order(text: Text, words: list[str]) -> str:
    order = words[0].lower() if words else "xyz"
    if sorted(order) != ["x", "y", "z"]:
        raise text.bad(f"{order[:40]!r} is not an order of axes")
    return order


def _channels(text: Text, words: list[str]) -> tuple[str, ...]:
    found = tuple(w.lower() for w in words)
    odd = [c for c in found if c not in (*TURNS, *MOVES, "l")]
    if odd or len(set(found)) < len(found):
        raise text.bad(f"{(odd or list(found))[0][:40]!r} is not a channel, or is listed twice")
    return found


def _hierarchy_line(text: Text, bones: dict[str, Bone], words: list[str]) -> None:
    """A bone, and those that hang on it."""
    for name in words:
        if name not in bones:
            raise text.bad(f"there is no bone {name[:40]!r}")
    for name in words[1:]:
        child = bones[name]
        if name == ROOT or child.parent:
            raise text.bad(f"{name!r} has two parents")
        child.parent = words[0]
        above = words[0]
        while above:
            if above == name:
                raise text.bad("the hierarchy runs in a circle")
            above = bones[above].parent


def in_order(bones: dict[str, Bone]) -> list[Bone]:
    """Parents before their children, else as in the file."""
    children: dict[str, list[Bone]] = {name: [] for name in bones}
    for bone in bones.values():
        if bone.parent:
            children[bone.parent].append(bone)
    out, waiting = [], [bones[ROOT]]
    while waiting:
        bone = waiting.pop()
        out.append(bone)
        waiting += children[bone.name][::-1]
    return out

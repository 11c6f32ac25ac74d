"""The HIERARCHY part of a BVH file: text to joints with their offsets and channels."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats.imported import MOST_JOINTS

_KINDS = {f"{axis}{kind}": (kind[:3], axis) for axis in "XYZ" for kind in ("position", "rotation")}
_CHANNELS = {name.lower(): name for name in _KINDS}


@dataclass
class BvhJoint:
    """One joint as the file gives it, in the file's own units."""

    name: str
    parent: int
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    channels: tuple[str, ...] = ()
    tip: tuple[float, float, float] | None = None
    columns: dict[str, int] = field(default_factory=dict)

    @property
    def order(self) -> str:
        """Axes of the rotation channels in file order, such as ``ZXY``."""
        return "".join(c[0] for c in self.channels if c.endswith("rotation"))

    @property
    def positions(self) -> tuple[str, ...]:
        return tuple(c for c in self.channels if c.endswith("position"))


def parse_header(text: str, path: Path) -> tuple[list[BvhJoint], list[str]]:
    """Joints in file order and warnings. Raises ReadError with the line at the first thing that cannot be read."""
    joints: list[BvhJoint] = []
    warnings: list[str] = []
    open_blocks: list[int] = []  # joint index, or -1 - joint for an end site
    column = 0
    started = False
    pending: int | None = None  # the block whose brace comes next
    number = 0

    def fail(reason: str, advice: str = "") -> ReadError:
        return ReadError(reason, path, f"line {number}", advice)

    for number, line in enumerate(text.splitlines(), 1):
        for piece in line.replace("{", "\n{\n").replace("}", "\n}\n").split("\n"):
            words = piece.split()
            if not words:
                continue
            key = words[0].upper()
            if not started:
                if key != "HIERARCHY":
                    raise fail("does not begin with HIERARCHY", "Is it a BVH file?")
                started = True
            elif key in ("ROOT", "JOINT"):
                if key == "ROOT" and joints:
                    raise fail(
                        f"has a second root, {' '.join(words[1:])!r}",
                        "Split the file into one file per figure: only one root can be read.",
                    )
                if key == "JOINT" and not open_blocks:
                    raise fail("a JOINT is outside the hierarchy")
                if len(joints) >= MOST_JOINTS:
                    raise fail(f"has more than {MOST_JOINTS:,} joints, the most that can be read")
                parent = open_blocks[-1] if open_blocks else -1
                if parent < -1 or (parent == -1 and open_blocks):
                    warnings.append(f"Line {number}: a joint inside an End Site is attached to the joint above it.")
                    parent = -1 - parent
                joints.append(BvhJoint(" ".join(words[1:]) or f"joint {len(joints)}", parent))
                pending = len(joints) - 1
            elif key == "END":
                if not open_blocks:
                    raise fail("an End Site is outside the hierarchy")
                owner = open_blocks[-1]
                if owner < 0:
                    warnings.append(f"Line {number}: an End Site inside an End Site is ignored.")
                    owner = -1 - owner
                pending = -1 - owner
            elif key == "{":
                if pending is None:
                    raise fail("an opening brace without a joint")
                open_blocks.append(pending)
                pending = None
            elif key == "}":
                if not open_blocks:
                    raise fail("one closing brace too many")
                open_blocks.pop()
            elif key == "OFFSET":
                if not open_blocks:
                    raise fail("an OFFSET is outside the hierarchy")
                try:
                    x, y, z = (float(w) for w in words[1:4])
                except ValueError:
                    raise fail(f"OFFSET needs three numbers, not {' '.join(words[1:])!r}") from None
                if not all(abs(v) < 1e12 for v in (x, y, z)):
                    raise fail("an OFFSET is not a finite number")
                block = open_blocks[-1]
                if block >= 0:
                    joints[block].offset = (x, y, z)
                elif joints[-1 - block].tip is None:
                    joints[-1 - block].tip = (x, y, z)
            elif key == "CHANNELS":
                if not open_blocks or open_blocks[-1] < 0:
                    raise fail("CHANNELS are outside a joint")
                joint = joints[open_blocks[-1]]
                if joint.channels:
                    raise fail(f"{joint.name!r} has its CHANNELS twice")
                named = [_CHANNELS.get(w.lower(), "") for w in words[2:]]
                if "" in named:
                    raise fail(f"unknown channel {words[2 + named.index('')]!r} in {joint.name!r}")
                if len(set(named)) != len(named):
                    raise fail(f"a channel of {joint.name!r} is named twice")
                if not words[1:] or words[1] != str(len(named)):
                    warnings.append(f"Line {number}: {joint.name!r} names {len(named)} channels, not {words[1:2]}.")
                joint.channels = tuple(named)
                joint.columns = {c: column + i for i, c in enumerate(named)}
                column += len(named)
            else:
                raise fail(f"{words[0][:40]!r} is unexpected here")
    if not joints:
        raise fail("no joint in the hierarchy", "Is it a BVH file?")
    if open_blocks:
        raise fail(f"{len(open_blocks)} blocks are not closed", "The file may be cut off.")
    return joints, warnings

"""ASF and AMC: a skeleton as text, and motion for it in a text of its own, as the open motion databases give them.

A bone stands for the joint that it begins at. Its rest is given in the world's axes (direction and length); ``axis`` turns
the axes that its channels turn about. So with C that turn and M the channels', a bone turns in the world by its parent's
turn times C · M · C⁻¹, and its end lies length · direction from its beginning. Angles turn about fixed axes, x first.

Source: the format's own description as the databases publish it; from memory, held against a worked example in the tests.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats import frame as frames
from reflexa.formats import imported
from reflexa.formats.files import read_bytes
from reflexa.formats.frame import ImportFrame
from reflexa.formats.imported import MOST_JOINTS, Imported, ReadOptions, Remarks
from reflexa.formats.model import Format
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips
from reflexa.motion.skeleton import Skeleton
from reflexa.names import readable
from reflexa.rig import analyse

ROOT = "root"
# Neither file says how fast it was recorded; this is what the large open database records at.
RATE = 120.0
INCH = 0.0254
_TURNS, _MOVES = ("rx", "ry", "rz"), ("tx", "ty", "tz")
_LARGEST = 1e9


@dataclass
class _Bone:
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
class _Skeleton:
    """The whole of an .asf file: bones by name, the root among them, and what its numbers are counted in."""

    bones: dict[str, _Bone]
    length: float
    degrees: bool


class _Text:
    """Lines of a file as words, with their numbers; what cannot be read is told with the line."""

    def __init__(self, path: Path) -> None:
        self.path = path
        data = read_bytes(path)
        if b"\0" in data:
            raise ReadError("is binary, not text", path, f"byte {data.index(0)}")
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        self._lines = text.splitlines()
        self.number = 0

    def __iter__(self) -> Iterator[list[str]]:
        for self.number, line in enumerate(self._lines, 1):  # noqa: B020 (the number is told in errors)
            words = line.partition("#")[0].split()
            if words:
                yield words

    def bad(self, reason: str, advice: str = "") -> ReadError:
        return ReadError(reason, self.path, f"line {self.number}", advice)

    def numbers(self, words: list[str], count: int | None = None) -> list[float]:
        if count is not None and len(words) != count:
            raise self.bad(f"has {len(words)} numbers instead of {count}")
        try:
            out = [float(w) for w in words]
        except ValueError:
            wrong = next(w for w in words if not _is_number(w))
            raise self.bad(f"{wrong[:40]!r} is not a number") from None
        if not all(abs(v) < _LARGEST for v in out):
            raise self.bad("has a number that cannot be used")
        return out


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


# Skeleton -------------------------------------------------------------------------------------------------------


def _read_skeleton(path: Path) -> _Skeleton:
    text = _Text(path)
    out = _Skeleton({ROOT: _Bone(ROOT, 0)}, 1.0, True)
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


def _root_line(text: _Text, root: _Bone, key: str, words: list[str]) -> None:
    if key == "order":
        root.channels = _channels(text, words)
    elif key == "axis":
        root.order = _order(text, words[:1])
    elif key == "orientation":
        root.axis = np.array(text.numbers(words, 3))


def _bone_line(text: _Text, out: _Skeleton, bone: _Bone | None, key: str, words: list[str]) -> _Bone | None:
    """One line of ``:bonedata``; gives the bone that is open after it."""
    if key == "begin":
        if bone is not None:
            raise text.bad(f"a bone begins before {bone.name!r} has ended")
        return _Bone("", text.number)
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


def _order(text: _Text, words: list[str]) -> str:
    order = words[0].lower() if words else "xyz"
    if sorted(order) != ["x", "y", "z"]:
        raise text.bad(f"{order[:40]!r} is not an order of axes")
    return order


def _channels(text: _Text, words: list[str]) -> tuple[str, ...]:
    found = tuple(w.lower() for w in words)
    odd = [c for c in found if c not in (*_TURNS, *_MOVES, "l")]
    if odd or len(set(found)) < len(found):
        raise text.bad(f"{(odd or list(found))[0][:40]!r} is not a channel, or is listed twice")
    return found


def _hierarchy_line(text: _Text, bones: dict[str, _Bone], words: list[str]) -> None:
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


def _in_order(bones: dict[str, _Bone]) -> list[_Bone]:
    """Parents before their children, else as in the file."""
    children: dict[str, list[_Bone]] = {name: [] for name in bones}
    for bone in bones.values():
        if bone.parent:
            children[bone.parent].append(bone)
    out, waiting = [], [bones[ROOT]]
    while waiting:
        bone = waiting.pop()
        out.append(bone)
        waiting += children[bone.name][::-1]
    return out


# Motion ---------------------------------------------------------------------------------------------------------


def _read_motion(path: Path, bones: list[_Bone]) -> tuple[dict[str, Array], bool | None]:
    """Per bone its channels' values ``(frames, channels)``, and whether angles are degrees (None: not said). A bone that a
    frame leaves out stays as it was; before it was ever given, at rest."""
    text = _Text(path)
    by_name = {b.name: b for b in bones}
    rows: dict[str, list[list[float]]] = {b.name: [] for b in bones}
    degrees: bool | None = None
    frame = 0

    def fill(upto: int) -> None:
        for name, own in rows.items():
            while len(own) < upto:
                own.append(own[-1] if own else [0.0] * len(by_name[name].channels))

    for words in text:
        if words[0].startswith(":"):
            said = words[0].lower()
            degrees = True if said == ":degrees" else False if said == ":radians" else degrees
            continue
        if len(words) == 1 and words[0].isdigit():
            fill(frame)
            frame += 1
            continue
        bone = by_name.get(words[0])
        if bone is None:
            raise text.bad(
                f"the skeleton has no bone {words[0][:40]!r}", "Is it the skeleton that belongs to this motion?"
            )
        if frame == 0:
            raise text.bad("a bone is listed before the first frame")
        if len(rows[bone.name]) >= frame:
            raise text.bad(f"{bone.name!r} is listed twice in a frame")
        fill_one = rows[bone.name]
        while len(fill_one) < frame - 1:
            fill_one.append(fill_one[-1] if fill_one else [0.0] * len(bone.channels))
        fill_one.append(text.numbers(words[1:], len(bone.channels)))
    fill(frame)
    if frame == 0:
        raise ReadError("contains no frames of motion", path, advice="The file may be cut off.")
    return {n: np.array(v, dtype=np.float64).reshape(frame, -1) for n, v in rows.items()}, degrees


def _euler(angles: Array, order: str) -> Array:
    """Turns ``(…, 4)`` about the fixed axes x, y, z by angles ``(…, 3)`` in radians, carried out in that order."""
    out = np.broadcast_to(quat.IDENTITY, (*angles.shape[:-1], 4))
    for axis in order:
        out = quat.multiply(quat.about("xyz".index(axis), angles[..., "xyz".index(axis)]), out)
    return out


def _posed(bones: list[_Bone], values: dict[str, Array], skeleton: Skeleton, degrees: bool) -> tuple[Array, Array]:
    """Local rotations ``(frames, joints, 4)`` and translations ``(frames, joints, 3)`` in the file's units."""
    frames_ = len(next(iter(values.values())))
    rotations = np.tile(quat.IDENTITY, (frames_, len(bones), 1))
    translations = np.tile(skeleton.rest_translations, (frames_, 1, 1))
    unit = np.pi / 180 if degrees else 1.0
    for j, bone in enumerate(bones):
        angles, moved = np.zeros((frames_, 3)), np.zeros((frames_, 3))
        for k, channel in enumerate(bone.channels):
            if channel in _TURNS:
                angles[:, _TURNS.index(channel)] = values[bone.name][:, k]
            elif channel in _MOVES:
                moved[:, _MOVES.index(channel)] = values[bone.name][:, k]
        axes = _euler(bone.axis * np.pi / 180, bone.order)
        turn = _euler(angles * unit, bone.order)
        rotations[:, j] = quat.multiply(quat.multiply(axes, turn), quat.conjugate(axes))
        translations[:, j] += moved
    return rotations, translations


# Both together --------------------------------------------------------------------------------------------------


def _skeleton_of(motion: Path, options: ReadOptions) -> Path:
    """The .asf of an .amc: one that was given, of the same name, of the name before the underscore, or the only one there."""
    given = [p for p in options.rigs if p.suffix.lower() == ".asf"]
    if given:
        return given[0]
    try:
        there = sorted(p for p in motion.parent.iterdir() if p.suffix.lower() == ".asf")
    except OSError:
        there = []
    for stem in (motion.stem, motion.stem.rpartition("_")[0]):
        found = [p for p in there if p.stem.lower() == stem.lower()]
        if stem and found:
            return found[0]
    if len(there) == 1:
        return there[0]
    raise ReadError(
        "has no skeleton file next to it", motion,
        advice=f"Put {motion.stem}.asf into the same folder, or give it with --rig.",
    )  # fmt: skip


def _unit(length: float, height: float, told: float | None, warnings: list[str]) -> tuple[str, float]:
    """Name and metres of the file's unit. A scale that the file says is one of inches; else the height tells."""
    if told is not None:
        return "as told", told
    own = INCH / length if length > 0 else 0.0
    low, high = (0.5, 3.0) if length == 1 else (0.05, 12.0)  # a scale of its own is meant
    if low <= height * own <= high:
        return ("in" if length == 1 else f"in/{length:g}"), own
    unit, scale, sure = imported.guess_unit(height)
    if not sure:
        warnings.append(f"The unit is a guess: {unit} makes the figure {height * scale:.2f} m high.")
    return unit, scale


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read an .asf (a rig) or an .amc with its .asf (a rig and a clip). Raises ReadError with file, line and reason."""
    moves = path.suffix.lower() != ".asf"
    skeleton_file = _skeleton_of(path, options) if moves else path
    text = _read_skeleton(skeleton_file)
    bones = _in_order(text.bones)
    warnings: list[str] = []
    index = {b.name: j for j, b in enumerate(bones)}
    ends = np.array([b.direction * b.length for b in bones])
    parents = np.array([index.get(b.parent, -1) for b in bones])
    offsets = np.where(parents[:, None] >= 0, ends[parents], 0.0)
    raw = Skeleton(tuple(index), parents, np.tile(quat.IDENTITY, (len(bones), 1)), offsets)
    tips = {b.name: ends[j] for j, b in enumerate(bones) if not raw.children[j]}
    if any("l" in b.channels for b in bones):
        warnings.append("Bones that change their length keep it: that is not read.")

    up, facing, _, said = imported.find_axes(raw, tips, guess_up=True, told=options.told_facing)
    placed = raw.rest_model[1]
    tops = np.concatenate([placed, [placed[index[n]] + tip for n, tip in tips.items()]])
    unit, scale = _unit(text.length, float(np.ptp(tops @ up)), options.unit, warnings)
    frame = ImportFrame(
        np.full(len(bones), scale), imported.axes_turn(up, facing)[None], np.zeros((1, 3)),
        unit, scale, frames.axis_name(up), frames.axis_name(facing),
    )  # fmt: skip
    skeleton = frames.convert_skeleton(frame, raw)
    ahead = imported.FACINGS["+Z"] if options.facing else None
    rig = analyse(skeleton, tips={n: t * scale for n, t in tips.items()}, facing=ahead)
    clips: tuple[Clip, ...] = ()
    if moves:
        values, degrees = _read_motion(path, bones)
        rotations, translations = _posed(bones, values, raw, text.degrees if degrees is None else degrees)
        q, t = frames.to_internal(frame, skeleton, rotations, translations)
        clips = (Clip(readable(path.stem), skeleton, quat.continuous(q), t, RATE),)
        warnings.append(f"The file does not declare its rate: {RATE:g} frames per second are assumed.")
    return Imported(path, "amc", "", rig, Clips.of(clips), frame, Remarks((*warnings, *said)), None)


def _beside(path: Path, _: bytes) -> list[str]:
    """The skeleton of a motion file."""
    if path.suffix.lower() == ".asf":
        return []
    try:
        return [_skeleton_of(path, ReadOptions()).name]
    except ReadError:
        return []


FORMAT = Format(
    "amc", "ASF and AMC motion capture text", (".amc", ".asf"), read, place=60, family="asf-amc", declares_unit=False,
    beside=_beside,
)  # fmt: skip

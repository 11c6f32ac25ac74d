"""BVH: writing, as the source was or clean."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from reflexa.formats import frame as frames
from reflexa.formats.bvh.header import BvhJoint
from reflexa.formats.bvh.read import BvhLayout, middle_of, seems_to_replace
from reflexa.formats.imported import Imported
from reflexa.formats.model import WriteOptions
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.euler import continued
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig


def write(clip: Clip, rig: Rig, source: Imported | None = None, options: WriteOptions = WriteOptions()) -> bytes:
    """BVH text of a clip: as its source where that was a BVH file of this rig, else clean. Of some joints only these are in it,
    and what they hang on.

    Clean: +Y up, facing +Z, rest rotations taken into the offsets, ``options.unit`` metres per unit of the file.
    """
    joints = options.joints
    if source is not None and isinstance(source.layout, BvhLayout):
        layout = source.layout
        q, t = frames.to_file(source.frame, clip.skeleton, clip.rotations, clip.translations)
        time = layout.frame_time if clip.rate == layout.rate else _frame_time(clip.rate)
        as_read = _as_read(clip, source)
    else:
        layout, q, t = _clean(clip, rig, options.unit)
        time, as_read = layout.frame_time, frozenset[int]()
    if joints is not None:
        layout, kept = _part(layout, joints)
        as_read = frozenset()
        q, t = q[:, kept], t[:, kept]
    if options.order:
        layout, as_read = _ordered(layout, options.order), frozenset()
    layout = _with_needed_channels(layout, q, t)
    layout = _unmistakable(layout, q, t)
    rows = _to_rows(layout, q, t, as_read)
    text = [*_header_lines(layout), "MOTION", f"Frames: {len(rows)}", f"Frame Time: {time}"]
    line = " ".join(["%.6f"] * rows.shape[1])
    text += [line % tuple(row) for row in rows.tolist()]
    return ("\n".join(text) + "\n").encode()


def _frame_time(rate: float) -> str:
    return f"{1 / rate:.8f}"


def _clean(clip: Clip, rig: Rig, unit: float) -> tuple[BvhLayout, Array, Array]:
    """The motion as rest-relative deltas: BVH has no rest rotations, so every joint's axes are the world's in rest."""
    skeleton = clip.skeleton
    turned0, placed0 = skeleton.rest_model
    turned, placed = clip.model
    delta = quat.multiply(turned, quat.conjugate(turned0))
    q, t = np.array(delta), np.array(placed)
    parents = skeleton.parents
    has = parents >= 0
    back = quat.conjugate(delta[:, parents[has]])
    q[:, has] = quat.multiply(back, delta[:, has])
    t[:, has] = quat.rotate(back, placed[:, has] - placed[:, parents[has]])
    offsets = np.array(placed0)
    offsets[has] -= placed0[parents[has]]
    tips: Mapping[str, Array] = rig.tips
    # BVH nests joints, so their order is depth first whatever the skeleton's is.
    order = _depth_first(skeleton)
    place = {j: i for i, j in enumerate(order)}
    joints = []
    for i in order:
        name = skeleton.names[i]
        tip = None
        if not skeleton.children[i]:
            end = quat.rotate(turned0[i], tips[name]) if name in tips else 0.3 * offsets[i]
            tip = (float(end[0] / unit), float(end[1] / unit), float(end[2] / unit))
        # A root's place is in its channels alone: with an offset, readers disagree on what the channels mean.
        x, y, z = (offsets[i] / unit).tolist() if parents[i] >= 0 else (0.0, 0.0, 0.0)
        channels = ("Zrotation", "Xrotation", "Yrotation")
        if parents[i] < 0:
            channels = ("Xposition", "Yposition", "Zposition", *channels)  # type: ignore[assignment]
        joints.append(BvhJoint(name, place[int(parents[i])] if parents[i] >= 0 else -1, (x, y, z), channels, tip))
    layout = BvhLayout(tuple(joints), (True,) * len(joints), _frame_time(clip.rate), clip.rate)
    return layout, q[:, order], t[:, order] / unit


def _part(layout: BvhLayout, wanted: frozenset[str]) -> tuple[BvhLayout, list[int]]:
    """The layout of some joints with what they hang on, and their numbers; bones that went on and end now have an end site."""
    kept = set[int]()
    for i in range(len(layout.joints) - 1, -1, -1):
        if layout.joints[i].name in wanted or i in kept:
            kept |= {i, layout.joints[i].parent} - {-1}
    order = sorted(kept)
    place = {old: new for new, old in enumerate(order)}
    joints = []
    for i in order:
        joint = layout.joints[i]
        children = [k for k, j in enumerate(layout.joints) if j.parent == i]
        tip = layout.joints[children[0]].offset if children and not kept & set(children) else joint.tip
        joints.append(replace(joint, parent=place.get(joint.parent, -1), tip=tip))
    return replace(layout, joints=tuple(joints), replaces=tuple(layout.replaces[i] for i in order)), order


def _ordered(layout: BvhLayout, order: str) -> BvhLayout:
    """The layout with the rotation channels of every joint in one order, behind its positions."""
    turns = tuple(f"{a}rotation" for a in order)
    return replace(layout, joints=tuple(replace(j, channels=(*j.positions, *turns)) for j in layout.joints))


def _depth_first(skeleton: Skeleton) -> list[int]:
    order: list[int] = []
    stack = list(skeleton.roots[::-1])
    while stack:
        joint = stack.pop()
        order.append(joint)
        stack.extend(reversed(skeleton.children[joint]))
    return order


def _with_needed_channels(layout: BvhLayout, q: Array, t: Array) -> BvhLayout:
    """The layout with channels added where the motion moves something that the source's channels cannot say."""
    joints = []
    replaces = list(layout.replaces)
    for i, joint in enumerate(layout.joints):
        channels = list(joint.channels)
        offset = np.array(joint.offset)
        if not joint.positions or len(joint.positions) < 3:
            missing = [a for a in "XYZ" if f"{a}position" not in channels]
            axes = ["XYZ".index(a) for a in missing]
            if np.abs(t[:, i, axes] - offset[axes]).max() > 1e-5 * max(1.0, float(np.abs(offset).max())):
                channels = [*(f"{a}position" for a in missing), *channels]
        if len(joint.order) < 3:
            least = _closest(q[:, i], joint.order)
            if quat.angle(quat.multiply(quat.conjugate(least), q[:, i])).max() > 1e-6:
                channels = [c for c in channels if not c.endswith("rotation")]
                channels += [f"{a}rotation" for a in "ZXY"]
        joints.append(replace(joint, channels=tuple(channels)))
    column = 0
    for i, joint in enumerate(joints):
        joints[i] = replace(joint, columns={c: column + k for k, c in enumerate(joint.channels)})
        column += len(joint.channels)
    return BvhLayout(tuple(joints), tuple(replaces), layout.frame_time, layout.rate)


def _unmistakable(layout: BvhLayout, q: Array, t: Array) -> BvhLayout:
    """The layout with position channels that a reader, who has only the values to go by, takes for what they are: absolute
    or beside the offset as the source had them, or the other way, or (a root) with no offset at all."""
    rows = _to_rows(layout, q, t)
    joints, replaces = list(layout.joints), list(layout.replaces)
    for i, joint in enumerate(joints):
        if not joint.positions or not any(joint.offset):
            continue
        axes = ["XYZ".index(c[0]) for c in joint.positions]
        for way in (replaces[i], not replaces[i]):
            offset = np.array(joint.offset)[axes]
            middle = np.median(t[:, i, axes], axis=0) - (0.0 if way else offset)
            if way == replaces[i]:
                middle = middle_of(joint, rows)[0]
            if seems_to_replace(middle, offset) == way:
                replaces[i] = way
                break
        else:
            if joint.parent < 0 and len(axes) == 3:
                joints[i], replaces[i] = replace(joint, offset=(0.0, 0.0, 0.0)), True
    return BvhLayout(tuple(joints), tuple(replaces), layout.frame_time, layout.rate)


def _closest(q: Array, order: str) -> Array:
    """The rotations of ``q`` that channels of a short order (none, one or two axes) can say."""
    if not order:
        return np.broadcast_to(quat.IDENTITY, q.shape)
    return quat.from_euler(_short_euler(q, order), order)


def _short_euler(q: Array, order: str) -> Array:
    full = order + "".join(a for a in "ZXY" if a not in order)
    return quat.to_euler(q, full[:3])[..., : len(order)]


def _to_rows(layout: BvhLayout, q: Array, t: Array, as_read: frozenset[int] = frozenset()) -> Array:
    """The values of the channels ``(frames, columns)``. as_read: joints that move just as in the file that they came from."""
    rows = np.zeros((len(q), sum(len(j.channels) for j in layout.joints)))
    for i, joint in enumerate(layout.joints):
        for channel in joint.positions:
            axis = "XYZ".index(channel[0])
            rows[:, joint.columns[channel]] = t[:, i, axis] - (0.0 if layout.replaces[i] else joint.offset[axis])
        order = joint.order
        if not order:
            continue
        if len(order) < 3:
            angles = np.unwrap(_short_euler(q[:, i], order), axis=0)
        elif i in as_read:  # its values stay as they were, jumps and all
            angles = np.unwrap(quat.to_euler(q[:, i], order), axis=0)
        else:
            angles = continued(q[:, i], order)
        rows[:, [joint.columns[f"{a}rotation"] for a in order]] = np.degrees(angles)
    return rows


def _as_read(clip: Clip, source: Imported) -> frozenset[int]:
    """The joints that move just as in their source."""
    was = source.clips[0] if len(source.clips) == 1 else None
    if was is None or was.frames != clip.frames:
        return frozenset()
    same = np.abs(np.abs((was.rotations * clip.rotations).sum(axis=-1)) - 1).max(axis=0) < 1e-12
    return frozenset(np.flatnonzero(same).tolist())


def _header_lines(layout: BvhLayout) -> list[str]:
    lines = ["HIERARCHY"]
    joints = layout.joints
    open_at: list[int] = []

    def close_to(depth: int) -> None:
        while len(open_at) > depth:
            joint = joints[open_at[-1]]
            pad = "\t" * len(open_at)
            if joint.tip is not None:
                lines.extend([f"{pad}End Site", f"{pad}{{", f"{pad}\t{_offset(joint.tip)}", f"{pad}}}"])
            open_at.pop()
            lines.append("\t" * len(open_at) + "}")

    for i, joint in enumerate(joints):
        close_to(open_at.index(joint.parent) + 1 if joint.parent >= 0 else 0)
        pad = "\t" * len(open_at)
        lines += [f"{pad}{'ROOT' if joint.parent < 0 else 'JOINT'} {joint.name}", f"{pad}{{"]
        lines += [f"{pad}\t{_offset(joint.offset)}"]
        lines += [f"{pad}\tCHANNELS {len(joint.channels)} {' '.join(joint.channels)}"]
        open_at.append(i)
    close_to(0)
    return lines


def _offset(v: tuple[float, float, float]) -> str:
    return "OFFSET " + " ".join(f"{x:.6f}" for x in v)

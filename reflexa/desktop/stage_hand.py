"""What can be moved by hand on the stage: a prop, the target of a goal, the points of a path. The viewport asks here
when no joint is in hand."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import numpy as np

from reflexa.desktop.handle import Handle, handle_at
from reflexa.desktop.session import Session
from reflexa.desktop.stage_view import goal_mark, place_of
from reflexa.draw import Camera
from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector
from reflexa.stage import Prop, PropKey, Stage
from reflexa.stage.model import between_keys, turn_of
from reflexa.stage.shapes import corners
from reflexa.steps.goal import GoalSettings, TargetKey
from reflexa.steps.root_motion import RootMotionSettings

SNAP_TURN, SNAP_MOVE = 5.0, 0.01  # degrees, metres
NEAR = 0.03  # metres within which a side snaps to the ground or to another prop's side


@dataclass(frozen=True, eq=False)
class Held:
    """What a drag began with: the value that is changed, and where it stood."""

    what: Prop | GoalSettings
    turn: Array
    place: Array


def handle(session: Session, camera: Camera, height: int, by: Array) -> Handle | None:
    """The handle of the selected prop, or of the selected goal's target where that can be moved."""
    clip = session.shown
    if clip is None or session.playing or session.rest_shown:
        return None
    frame = min(session.frame, clip.frames - 1)
    prop = session.stage.prop(session.prop)
    if prop is not None:
        at = place_of(prop, clip, frame)
        return None if at is None else handle_at(at[1] + by, np.array(quat.IDENTITY), camera, height, True)
    settings = movable_goal(session)
    if settings is not None:
        found = goal_mark(settings, clip, session.stage, frame, by)
        if found is not None:
            return handle_at(found[0], np.array(quat.IDENTITY), camera, height, True)
    return None


def movable_goal(session: Session) -> GoalSettings | None:
    """The selected goal, where its target is a place of its own and no joint but its own limb's is in hand."""
    settings, rig = session.step.settings if session.step is not None else None, session.step_rig
    if not isinstance(settings, GoalSettings) or settings.to not in ("point", "keyed") or rig is None:
        return None
    own = session.joint in ("", settings.limb) or rig.part_of(session.joint) == settings.limb
    return settings if own else None


def says(session: Session) -> str:
    """What the handle belongs to, in words."""
    return session.prop or ("the goal" if movable_goal(session) is not None else "")


def take_hold(session: Session) -> Held | None:
    """Begin to move what the handle belongs to."""
    clip = session.shown
    if clip is None:
        return None
    frame = min(session.frame, clip.frames - 1)
    prop = session.stage.prop(session.prop)
    if prop is not None:
        at = place_of(prop, clip, frame)
        return None if at is None else Held(prop, *at)
    settings = movable_goal(session)
    if settings is None:
        return None
    keys = [k for k in settings.keys if k.frame <= frame] or list(settings.keys[:1])
    if settings.to == "point":
        return Held(settings, np.array(settings.turn), np.array(settings.point))
    turn = keys[-1].turn if keys else (0.0, 0.0, 0.0)
    found = goal_mark(settings, clip, session.stage, frame, np.zeros(3))
    return Held(settings, np.array(turn), found[0] if found is not None else np.zeros(3))


def move(session: Session, held: Held, by: Array, snap: bool) -> None:
    """Move what is held by metres in the world; with snap on whole centimetres, and in any case a prop that is let go near
    the ground or near another's side meets it exactly."""
    place = held.place + by
    if snap:
        place = np.round(place / SNAP_MOVE) * SNAP_MOVE
    if isinstance(held.what, Prop):
        place = _met(held.what, held.turn, place, session.stage)
        _set_prop(session, held.what, _vector(place), None)
    else:
        _set_goal(session, held.what, _vector(place), None)


def turn(session: Session, held: Held, axis: int, degrees: float, snap: bool) -> float:
    """Turn what is held about an axis of the world; how far it was turned, in degrees."""
    if snap:
        degrees = round(degrees / SNAP_TURN) * SNAP_TURN
    change = quat.about(axis, np.radians(degrees))
    if isinstance(held.what, Prop):
        _set_prop(session, held.what, None, degrees_of(quat.multiply(change, held.turn)))
    else:
        _set_goal(session, held.what, None, degrees_of(quat.multiply(change, turn_of(held.turn))))
    return degrees


def degrees_of(q: Array) -> Vector:
    """A rotation as turns in degrees about y, x, z."""
    return _vector(np.degrees(quat.to_euler(q, "YXZ")).round(6))


def _set_prop(session: Session, prop: Prop, place: Vector | None, turn: Vector | None) -> None:
    session.edit_prop(
        f"move {prop.name}" if place else f"turn {prop.name}", placed(prop, session.frame, place, turn), "hold"
    )


def placed(prop: Prop, frame: int, place: Vector | None, turn: Vector | None) -> Prop:
    """A prop at another place or turn: as a whole, or, where it has keys, with a key at the frame."""
    given = {k: v for k, v in (("place", place), ("turn", turn)) if v is not None}
    if not prop.keys:
        return msgspec.structs.replace(prop, **given)
    turns, places = between_keys(prop.keys, [frame])
    now = {"place": _vector(places[0]), "turn": _vector(turns[0])}
    key = PropKey(frame, **(now | given))
    keys = sorted([*(k for k in prop.keys if k.frame != frame), key], key=lambda k: k.frame)
    return msgspec.structs.replace(prop, keys=tuple(keys))


def _set_goal(session: Session, settings: GoalSettings, place: Vector | None, turn: Vector | None) -> None:
    step = session.step
    assert step is not None
    if settings.to == "point":
        new = msgspec.structs.replace(settings, **({"point": place} if place else {"turn": turn}))
    else:
        before = [k for k in settings.keys if k.frame <= session.frame] or list(settings.keys[:1])
        base = before[-1] if before else TargetKey(session.frame, (0.0, 1.0, 0.5))
        here = place
        if here is None:
            here = _vector(between_keys(settings.keys or (base,), [session.frame])[1][0])
        key = TargetKey(session.frame, here, turn if turn is not None else base.turn)
        keys = sorted([*(k for k in settings.keys if k.frame != session.frame), key], key=lambda k: k.frame)
        new = msgspec.structs.replace(settings, keys=tuple(keys))
    session.edit_step(
        "move the goal" if place else "turn the goal", msgspec.structs.replace(step, settings=new), merge="hold"
    )


def _met(prop: Prop, turn_: Array, place: Array, stage: Stage) -> Array:
    """A place at which the prop's sides meet the ground and other props exactly, where they were near."""
    box = _box(prop, turn_, place)
    out = np.array(place)
    if abs(box[0, 1]) < NEAR:
        out[1] -= box[0, 1]
    for other in stage.props:
        if other.name == prop.name or other.moves or prop.keys:
            continue
        there = _box(other, turn_of(other.turn), np.array(other.place))
        apart = np.maximum(there[0] - box[1], box[0] - there[1])
        if np.all(apart < NEAR):
            for axis in range(3):
                ways = np.array([there[i, axis] - box[j, axis] for i in (0, 1) for j in (0, 1)])
                least = ways[np.argmin(np.abs(ways))]
                if abs(least) < NEAR and out[axis] == place[axis]:
                    out[axis] += least
    return out


def _box(prop: Prop, turn_: Array, place: Array) -> Array:
    """Lowest and highest corner ``(2, 3)`` of the box about a prop in the world's axes."""
    points = place + quat.rotate(turn_, corners(prop).reshape(-1, 3))
    return np.stack([points.min(axis=0), points.max(axis=0)])


def _vector(v: Array) -> Vector:
    x, y, z = (round(float(c), 9) for c in v)
    return x, y, z


# The path -------------------------------------------------------------------------------------------------------


def path_of(session: Session) -> tuple[tuple[float, float], ...] | None:
    """The path of the selected root motion, where it follows one."""
    settings = session.step.settings if session.step is not None else None
    if isinstance(settings, RootMotionSettings) and settings.operation == "along path":
        return settings.path
    return None


def path_point_at(session: Session, camera: Camera, x: float, y: float, w: int, h: int, by: Array) -> int:
    """The path's point under a pixel, or -1."""
    path = path_of(session)
    if not path or session.playing:
        return -1
    p = camera.project(np.array([(a, 0.0, b) for a, b in path]) + by, w, h)
    away = np.hypot(p[:, 0] - x, p[:, 1] - y)
    return int(np.argmin(away)) if away.min() < 11 else -1


def on_ground(camera: Camera, x: float, y: float, w: int, h: int, by: Array) -> tuple[float, float] | None:
    """Where the line of sight through a pixel meets the ground, x and z in metres; None above the horizon."""
    origin, way = camera.ray(x, y, w, h)
    if way[1] > -1e-3:
        return None
    p = origin - way * (origin[1] / way[1]) - by
    return float(p[0]), float(p[2])


def move_path_point(session: Session, index: int, place: tuple[float, float], snap: bool) -> None:
    step, path = session.step, path_of(session)
    if step is None or path is None or not 0 <= index < len(path):
        return
    x, z = (round(v / 0.05) * 0.05 if snap else round(v, 4) for v in place)
    settings = msgspec.structs.replace(step.settings, path=(*path[:index], (x, z), *path[index + 1 :]))
    session.edit_step("draw the path", msgspec.structs.replace(step, settings=settings), merge="path")

"""How the ground is drawn: props, the places of plants, the way of the figure, and what a goal goes to."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from reflexa.desktop import theme
from reflexa.draw import Camera, Figure
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.draw.scene import DIAMOND, DOT, Lines, Marks
from reflexa.errors import RecipeError
from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Mesh, Rig
from reflexa.rig.soles import soles
from reflexa.stage import Prop, Stage
from reflexa.stage.model import grip_track, track
from reflexa.stage.shapes import corners
from reflexa.steps.goal import GoalSettings, target_of
from reflexa.steps.plants import Plant
from reflexa.steps.root_motion import travel_of

# Weathered wood, chalked where it is selected; none of the hues that the sides use.
WOOD = (0.56, 0.50, 0.42)


@lru_cache(maxsize=256)
def mesh_of(prop: Prop) -> Mesh:
    """A prop as a mesh with flat sides, in its own axes. Kept by value."""
    tri = corners(prop)
    positions = tri.reshape(-1, 3)
    normal = np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0])
    normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
    n = len(positions)
    return Mesh(
        positions, np.repeat(normal, 3, axis=0), np.arange(n, dtype=np.uint32).reshape(-1, 3),
        np.zeros((n, 4), dtype=np.uint16), np.tile([1.0, 0.0, 0.0, 0.0], (n, 1)), np.eye(4)[None], np.tile(WOOD, (n, 1)),
    )  # fmt: skip


def place_of(prop: Prop, clip: Clip, frame: int) -> tuple[Array, Array] | None:
    """Turn and place of a prop at a frame; None where it is held by what is not there."""
    try:
        q, p = track(prop, clip)
    except RecipeError:
        return None
    return q[frame], p[frame]


def props(stage: Stage, clip: Clip, frame: int, by: Array, selected: str) -> tuple[list[Figure], list[Lines]]:
    """Every prop as it stands at a frame, moved by ``by``; the edges of the selected one are drawn too."""
    t = theme.current()
    accent = t.colour("accent")
    figures, lines = [], []
    for prop in stage.props:
        at = place_of(prop, clip, frame)
        if at is None:
            continue
        matrix = np.concatenate([quat.to_matrix(at[0]), (at[1] + by)[:, None]], axis=-1)[None]
        figures.append(Figure((mesh_of(prop),), matrix, (accent.redF(), accent.greenF(), accent.blueF()),
                              0.22 if prop.name == selected else 0.0))  # fmt: skip
        if prop.name == selected:
            lines.append(_edges(prop, at[0], at[1] + by, (accent.redF(), accent.greenF(), accent.blueF())))
    return figures, lines


def _edges(prop: Prop, q: Array, p: Array, colour: tuple[float, float, float]) -> Lines:
    """The edges at which two sides meet at an angle, as strokes."""
    ends = p + quat.rotate(q, _sharp(prop))
    n = len(ends)
    return Lines(ends, np.full((n, 2), 2.0), np.tile([*colour, 0.95], (n, 1)), on_top=True)


@lru_cache(maxsize=64)
def _sharp(prop: Prop) -> Array:
    tri = np.round(corners(prop), 5)
    normal = np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0])
    normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
    seen: dict[tuple[tuple[float, ...], tuple[float, ...]], list[Array]] = {}
    for t, n in zip(tri, normal, strict=True):
        for i in range(3):
            a, b = tuple(t[i].tolist()), tuple(t[(i + 1) % 3].tolist())
            seen.setdefault((min(a, b), max(a, b)), []).append(n)
    sharp = [edge for edge, ns in seen.items() if len(ns) < 2 or float(ns[0] @ ns[1]) < 0.9]
    return np.array(sharp).reshape(-1, 2, 3)


def prop_at(stage: Stage, clip: Clip, frame: int, by: Array, camera: Camera, x: float, y: float, w: int, h: int) -> str:
    """The prop under a pixel, the nearest to the eye; an empty text for none."""
    origin, way = camera.ray(x, y, w, h)
    best, nearest = "", np.inf
    for prop in stage.props:
        at = place_of(prop, clip, frame)
        if at is None:
            continue
        tri = at[1] + by + quat.rotate(at[0], corners(prop))
        e, f = tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
        # Möller & Trumbore (1997).
        p = np.cross(way, f)
        det = np.sum(e * p, axis=-1)
        safe = np.where(np.abs(det) > 1e-12, det, np.inf)
        s = origin - tri[:, 0]
        u = np.sum(s * p, axis=-1) / safe
        q = np.cross(s, e)
        v = np.sum(way * q, axis=-1) / safe
        t = np.sum(f * q, axis=-1) / safe
        hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0) & np.isfinite(safe)
        if hit.any() and t[hit].min() < nearest:
            best, nearest = prop.name, float(t[hit].min())
    return best


def grips(stage: Stage, clip: Clip, frame: int, by: Array) -> Marks:
    """A mark at every grip."""
    places = []
    for prop in stage.props:
        for g in prop.grips:
            try:
                places.append(grip_track(prop, g.name, clip)[1][frame] + by)
            except RecipeError:
                continue
    n = len(places)
    ink = theme.current().colour("ink")
    return Marks(
        np.array(places).reshape(-1, 3), np.full(n, 9.0), np.full(n, DIAMOND),
        np.tile([ink.redF(), ink.greenF(), ink.blueF(), 0.8], (n, 1)),
    )  # fmt: skip


def plant_places(plants: tuple[Plant, ...], clip: Clip, rig: Rig, frame: int, by: Array) -> list[Lines]:
    """Where feet are held: the outline of each sole on what it stands on, strong while it is held."""
    out = []
    known = soles(rig)
    turned, placed = clip.model
    for p in plants:
        side = p.limb.split()[0]
        if not p.on or p.first >= clip.frames:
            continue
        colour, now = (LEFT if side == "left" else RIGHT), p.first <= frame <= p.last
        if not p.limb.endswith("foot"):
            out.append(_cross(placed[p.first, rig.joint(p.limb)] + by, (*colour, 1.0 if now else 0.55)))
            continue
        if side not in known:
            continue
        sole = known[side]
        at = min(max(p.ball_from, p.first), p.last, clip.frames - 1)
        # Heel and ball each where they bear: before it comes down and after it lifts, the foot is not flat.
        flat = (
            min(max((p.ball_from + p.heel_to) // 2, p.first), min(p.last, clip.frames - 1))
            if p.ball_from <= p.heel_to
            else at
        )
        points = sole.underside(turned[flat : flat + 1], placed[flat : flat + 1])[:, 0]
        heel, end = points[0] + by, points[-1] + by
        way = (end - heel) * [1.0, 0.0, 1.0]
        across = np.array([way[2], 0.0, -way[0]]) * 0.19
        lift = np.array([0.0, 0.004, 0.0])
        rim = (
            np.array([heel - 0.7 * across, heel + 0.7 * across, end + across, end - across, heel - 0.7 * across]) + lift
        )
        ends = np.stack([rim[:-1], rim[1:]], axis=1)
        out.append(Lines(ends, np.full((4, 2), 3.4 if now else 1.8), np.tile([*colour, 1.0 if now else 0.55], (4, 1))))
    return out


def _cross(place: Array, rgba: tuple[float, float, float, float]) -> Lines:
    """Three short strokes through a place."""
    ends = place + 0.04 * np.stack([-np.eye(3), np.eye(3)], axis=1)
    return Lines(ends, np.full((3, 2), 2.6), np.tile(rgba, (3, 1)), on_top=True)


def way_over_ground(clip: Clip, rig: Rig, by: Array) -> Lines:
    """How the figure travels, as a line on the ground with a tick every ten frames."""
    t = travel_of(clip, rig)
    flat = np.stack([t.place[:, 0], np.full(len(t.place), 0.003), t.place[:, 1]], axis=-1) + by
    ends = [np.stack([flat[:-1], flat[1:]], axis=1)]
    at = np.arange(0, clip.frames, 10)
    side = np.stack([np.cos(t.heading[at]), np.zeros(len(at)), -np.sin(t.heading[at])], axis=-1) * 0.05
    ends.append(np.stack([flat[at] - side, flat[at] + side], axis=1))
    e = np.concatenate(ends)
    accent = theme.current().colour("accent")
    return Lines(
        e, np.full((len(e), 2), 2.6), np.tile([accent.redF(), accent.greenF(), accent.blueF(), 0.9], (len(e), 1))
    )


def drawn_path(points: tuple[tuple[float, float], ...], by: Array, hot: int) -> tuple[Lines | None, Marks]:
    """A path as it is drawn: the curve, and a mark at each of its points."""
    accent = theme.current().colour("accent")
    colour = [accent.redF(), accent.greenF(), accent.blueF()]
    p = np.array([(x, 0.004, z) for x, z in points]).reshape(-1, 3) + by
    sizes = np.where(np.arange(len(p)) == hot, 18.0, 13.0)
    marks = Marks(p, sizes, np.full(len(p), DOT), np.tile([*colour, 1.0], (len(p), 1)))
    try:
        path = travel.Path(points)
    except ValueError:
        return None, marks
    flat = path.at(np.linspace(0, path.length, 96))[0]
    line = np.stack([flat[:, 0], np.full(96, 0.004), flat[:, 1]], axis=-1) + by
    ends = np.stack([line[:-1], line[1:]], axis=1)
    return Lines(ends, np.full((95, 2), 2.0), np.tile([*colour, 0.55], (95, 1))), marks


def goal_mark(settings: GoalSettings, clip: Clip, stage: Stage, frame: int, by: Array) -> tuple[Array, Marks] | None:
    """Where a goal is at a frame ``(3,)``, and a mark there; None where it has none."""
    try:
        target = target_of(clip, settings, stage)
    except RecipeError:
        return None
    at = target.place[frame] + by
    warm = theme.current().colour("accent")
    return at, Marks(
        at[None], np.array([18.0]), np.array([DIAMOND]), np.array([[warm.redF(), warm.greenF(), warm.blueF(), 1.0]])
    )

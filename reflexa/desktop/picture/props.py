"""The stage in the picture: props, their grips, and which of them is under the pointer."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import handle_at
from reflexa.desktop.picture.manipulator import SNAP_MOVE, Drag, Manipulator, snapped
from reflexa.desktop.picture.overlay import Overlay
from reflexa.desktop.picture.view import Sight
from reflexa.draw import Figure
from reflexa.draw.scene import DIAMOND, Lines, Marks
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array, frozen, vector
from reflexa.motion.clip import Clip
from reflexa.session import Session, props
from reflexa.stage import Prop, Stage
from reflexa.stage.model import degrees_of, grip_track
from reflexa.stage.moves import hit, met, placed
from reflexa.stage.shapes import corners
from reflexa.stage.solids import flat_normals, mesh_of, place_of


def drawn_props(stage: Stage, clip: Clip, frame: int, shift: Array, selected: str) -> Overlay:
    """Every prop as it stands at a frame, moved by ``shift``; the edges of the selected one are drawn too."""
    accent = theme.current().rgb("accent")
    figures, lines = [], []
    for prop in stage.props:
        at = place_of(prop, clip, frame)
        if at is None:
            continue
        chosen, place = prop.name == selected, at[1] + shift
        matrix = np.concatenate([quat.to_matrix(at[0]), place[:, None]], axis=-1)[None]
        figures.append(Figure((mesh_of(prop),), matrix, accent, 0.22 if chosen else 0.0))
        if chosen:
            ends = place + quat.rotate(at[0], _sharp(prop))
            n = len(ends)
            lines.append(Lines(ends, np.full((n, 2), 2.0), np.tile([*accent, 0.95], (n, 1)), on_top=True))
    return Overlay(tuple(figures), tuple(lines))


@lru_cache(maxsize=64)
def _sharp(prop: Prop) -> Array:
    """The edges ``(edges, 2, 3)`` at which two sides meet at an angle."""
    tri = np.round(corners(prop), 5)
    seen: dict[tuple[tuple[float, ...], tuple[float, ...]], list[Array]] = {}
    for t, n in zip(tri, flat_normals(tri), strict=True):
        for i in range(3):
            a, b = tuple(t[i].tolist()), tuple(t[(i + 1) % 3].tolist())
            seen.setdefault((min(a, b), max(a, b)), []).append(n)
    sharp = [edge for edge, ns in seen.items() if len(ns) < 2 or float(ns[0] @ ns[1]) < 0.9]
    return frozen(np.array(sharp).reshape(-1, 2, 3))


def prop_at(stage: Stage, clip: Clip, frame: int, sight: Sight, x: float, y: float) -> str:
    """The prop under a pixel, the nearest to the eye; an empty text for none."""
    origin, way = sight.camera.ray(x, y, sight.width, sight.height)
    best, nearest = "", np.inf
    for prop in stage.props:
        at = place_of(prop, clip, frame)
        away = hit(prop, at[0], at[1] + sight.shift, origin, way) if at is not None else np.inf
        if away < nearest:
            best, nearest = prop.name, away
    return best


def grip_marks(stage: Stage, clip: Clip, frame: int, shift: Array) -> Marks:
    """A mark at every grip."""
    places = []
    for prop in stage.props:
        for g in prop.grips:
            try:
                places.append(grip_track(prop, g.name, clip)[1][frame] + shift)
            except RecipeError:
                continue
    n = len(places)
    rgba = np.tile([*theme.current().rgb("ink"), 0.8], (n, 1))
    return Marks(np.array(places).reshape(-1, 3), np.full(n, 9.0), np.full(n, DIAMOND), rgba)


def prop_hold(session: Session, clip: Clip, frame: int, sight: Sight) -> Manipulator | None:
    """What a hand takes hold of while a prop is selected."""
    prop = session.stage.prop(session.selection.prop)
    at = place_of(prop, clip, frame) if prop is not None else None
    if prop is None or at is None:
        return None
    began, turned, place = prop, *at

    def move(by: Array, snap: bool) -> Array:
        to = place + by
        to = met(began, turned, np.round(to / SNAP_MOVE) * SNAP_MOVE if snap else to, session.stage)
        props.edit(session, f"move {began.name}", placed(began, frame, vector(to.round(9)), None), "hold")
        return np.asarray(to - place)

    def turn(axis: int, degrees: float, snap: bool) -> float:
        degrees = snapped(degrees, snap)
        to = degrees_of(quat.multiply(quat.about(axis, np.radians(degrees)), turned))
        props.edit(session, f"turn {began.name}", placed(began, frame, None, to), "hold")
        return degrees

    handle = handle_at(place + sight.shift, np.array(quat.IDENTITY), sight, True)
    return Manipulator(handle, prop.name, lambda: Drag(turn, move))

"""Meshes drawn with no more detail than a small picture shows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial import ConvexHull

from reflexa.draw import Renderer
from reflexa.draw.coarse import coarser
from reflexa.draw.held import HeldMeshes
from reflexa.rig import Mesh

METRES = 2.0  # a unit of bind space


def ball(count: int = 3000, joints: int = 2) -> Mesh:
    """A ball half a unit large about the origin, its upper and lower halves on two joints, with one shape that lifts it."""
    way = np.random.default_rng(1).normal(size=(count, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    hull = ConvexHull(way)
    corners = way[hull.simplices]
    out = np.einsum(
        "ij,ij->i", np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), corners.mean(axis=1)
    )
    triangles = np.where((out > 0)[:, None], hull.simplices, hull.simplices[:, ::-1])
    own = np.zeros((count, 4))
    own[:, 0] = (way[:, 1] > 0) * (joints - 1)
    bind = np.tile(np.diag([METRES, METRES, METRES, 1.0]), (joints, 1, 1))
    shapes = (("lift", way * 0.1),)
    return Mesh(way / 2, way, triangles, own, np.tile([1.0, 0, 0, 0], (count, 1)), bind, np.ones((count, 3)), shapes)


@pytest.mark.parametrize("cell", [0.05, 0.1, 0.3])
def test_every_vertex_has_one_near_it_that_is_left(cell: float) -> None:
    whole = ball()
    left = coarser(whole, cell)
    assert len(left.positions) < len(whole.positions) and 0 < len(left.triangles) < len(whole.triangles)
    for joint in (0, 1):
        a, b = (m.positions[m.joints[:, 0] == joint] * METRES for m in (whole, left))
        nearest = np.linalg.norm(a[:, None] - b[None], axis=2).min(axis=1)
        assert nearest.max() <= np.sqrt(3) * cell, "in one cube with it"
    at = [int(np.flatnonzero((whole.positions == p).all(axis=1))[0]) for p in left.positions]
    assert np.array_equal(left.shapes[0][1], whole.shapes[0][1][at]), "bent like what they were"


def test_no_triangle_is_left_that_is_none_or_there_twice() -> None:
    triangles = [tuple(t) for t in coarser(ball(), 0.3).triangles.tolist()]
    assert all(len(set(t)) == 3 for t in triangles)
    # Both sides of something thin may stay; the same side twice may not.
    assert len({min(t, t[1:] + t[:1], t[2:] + t[:2]) for t in triangles}) == len(triangles)


def test_what_is_smaller_than_a_cube_is_gone_and_nothing_breaks() -> None:
    far = replace(ball(), positions=ball().positions + 3)
    assert not len(coarser(far, 50.0).triangles)
    empty = replace(ball(), triangles=np.empty((0, 3), dtype=np.uint32))
    assert not len(coarser(empty, 0.1).triangles) and not empty.closed


def test_one_sees_into_what_is_open_or_inside_out() -> None:
    whole = ball()
    assert whole.closed
    assert not replace(whole, triangles=whole.triangles[:, ::-1]).closed
    assert not replace(whole, triangles=whole.triangles[whole.positions[whole.triangles[:, 0], 1] > 0.35]).closed


def test_no_more_meshes_are_held_than_the_bound_and_what_was_let_go_is_drawn_again(renderer: Renderer) -> None:
    held = HeldMeshes(renderer.ctx, renderer._skin, renderer._shadow, most=3)
    meshes = [ball(40) for _ in range(5)]
    first = [held.drawn(m, {}, False) for m in meshes]
    assert len(held) == 3
    assert held.drawn(meshes[4], {}, False) is first[4] and held.drawn(meshes[0], {}, False) is not first[0]
    assert len(held) == 3 and held.drawn(meshes[4], {}, True) is not first[4]
    held.release()
    assert not len(held)

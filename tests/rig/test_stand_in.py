"""A plain body for figures without a skin: closed, as high as the figure, alike on both sides, and moved as a skin is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from quality import clips
from reflexa.formats import read
from reflexa.motion.clip import rest_clip
from reflexa.rig.stand_in import body_of
from tests.helpers import rigs
from tests.helpers.files import DATA


@pytest.mark.parametrize("name", ["boxing_cut", "humanoid3d_walk", "01_01_cut"])
def test_a_capture_is_drawn_as_a_person(name: str) -> None:
    rig = read(DATA / f"{name}.bvh").rig
    (body,) = body_of(rig)
    assert body.closed and np.isfinite(body.normals).all() and len(body.triangles) < 20_000
    high = np.ptp(body.positions[:, 1])
    assert 0.85 * rig.height < high < 1.15 * rig.height
    assert body_of(rig) is body_of(rig), "made once"


@pytest.mark.parametrize("seed", range(4))
def test_it_is_alike_on_both_sides_and_hangs_on_its_joints(seed: int) -> None:
    rig = rigs.rig(seed, seed)
    (body,) = body_of(rig)
    pose = rest_clip(rig.neutral).model
    assert np.allclose(body.posed(pose[0][0], pose[1][0]), body.positions, atol=1e-9), (
        "in the pose in which it was made"
    )
    mirrored = rig.plane.reflect(body.positions)
    sizes = np.sort(np.ptp(body.positions, axis=0)), np.sort(np.ptp(mirrored, axis=0))
    assert np.allclose(*sizes, atol=1e-3)


def test_a_skin_of_its_own_comes_first_and_birds_and_snakes_get_none() -> None:
    made = clips.demo_rigs()
    assert body_of(made["deckhand"].rig) is made["deckhand"].rig.meshes
    assert body_of(replace(made["heron"].rig, meshes=())) == ()

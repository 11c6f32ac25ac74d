"""Relations found in a clip, and how near a hand is to the body's volumes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from quality import clips
from reflexa.contacts import bodies
from reflexa.contacts.relations import relations
from reflexa.formats import read
from reflexa.motion import kernels, quat
from reflexa.motion.clip import rest_clip
from reflexa.motion.kernels.parts import Model
from reflexa.rig.bodies import Block, as_blocks, volumes
from reflexa.rig.rig import SIDES
from tests.helpers import rigs
from tests.helpers.files import DATA

BLOCK = Block(0, np.array([0.1, 0.2, -0.1]), np.eye(3), np.array([0.2, 0.3, 0.1]))
OTHER = Block(0, np.zeros(3), np.eye(3), np.array([0.3, 0.2, 0.25]))


def posing(n: int, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    r = np.random.default_rng(seed)
    return quat.normalise(r.normal(size=(n, 1, 4))), r.normal(size=(n, 1, 3))


def test_a_round_block_is_as_far_as_a_cylinder() -> None:
    """Closed form: the distance from a cylinder, aside of it, above it and beside its rim."""
    round_ = Block(0, np.zeros(3), np.eye(3), np.array([0.2, 0.5, 0.2]))
    still = np.tile([0, 0, 0, 1.0], (4, 1, 1)), np.zeros((4, 1, 3))
    points = np.array([[0.5, 0.1, 0.0], [0.0, 0.9, 0.05], [0.2 + 0.3, 0.5 + 0.4, 0.0], [0.0, 0.0, -0.15]])
    body, off, counts = as_blocks([round_]), np.empty((4, 4)), np.empty((4, 1))
    kernels.blocks.nearest(body, 1.0, Model(*still), points, off, counts)
    apart, way = off[:, 0], off[:, 1:]
    assert np.allclose(apart, [0.3, 0.4, 0.5, -0.05])
    assert np.allclose(bodies.distances(body, points, still), [apart])
    assert np.allclose(way, [[1, 0, 0], [0, 1, 0], [0.6, 0.8, 0], [0, 0, -1]], atol=1e-4)


def test_seeing_from_a_block_and_back_is_nothing() -> None:
    model, track = posing(20), np.random.default_rng(1).normal(size=(20, 3))
    assert np.allclose(bodies.from_local(BLOCK, bodies.local_to(BLOCK, track, model), model), track)


def test_a_place_carried_to_another_body_lies_as_far_from_it_and_back_where_it_was() -> None:
    own = np.random.default_rng(2).uniform(-0.6, 0.6, (200, 3))
    own = own[np.hypot(own[:, 0] / 0.2, own[:, 2] / 0.1) > 0.3]
    still = np.tile([0, 0, 0, 1.0], (len(own), 1, 1)), np.zeros((len(own), 1, 3))
    assert np.allclose(bodies.carried_over(own, BLOCK, BLOCK, 1.0), own)
    there = bodies.carried_over(own, BLOCK, OTHER, 1.0)
    assert np.allclose(bodies.carried_over(there, OTHER, BLOCK, 1.0), own)
    at = Block(0, np.zeros(3), BLOCK.axes, BLOCK.half)
    [near] = bodies.distances(as_blocks([at]), own, still)
    [far] = bodies.distances(as_blocks([OTHER]), there, still)
    outside = near > 0.01
    assert np.allclose(far[outside], near[outside], atol=1e-9)


@pytest.mark.parametrize("seed", range(4))
def test_every_part_has_its_volume_without_a_skin_and_both_sides_are_alike(seed: int) -> None:
    found = volumes(rigs.rig(seed, seed))
    parts = {b.part for b in found}
    assert parts >= {
        "pelvis",
        "spine",
        "head",
        *(f"{s} {p}" for s in SIDES for p in ("thigh", "shin", "upper arm", "forearm")),
    }
    for b in found:
        assert (b.half > 0).all() and np.allclose(b.axes @ b.axes.T, np.eye(3))
        if b.part.startswith("left "):
            other = bodies.counterpart(Block(*b[:4], b.part.replace("left", "right"), b.share), found)
            assert other is not None and np.allclose(other.half, b.half, atol=1e-6)


def test_a_skinless_stand_in_is_about_as_broad_as_the_skin() -> None:
    """The Deckhand is built as people are: each stand-in is within a third of what its skin says, crosswise."""
    rig = clips.demo_rigs()["deckhand"].rig
    bare = replace(rig, meshes=())
    for b in volumes(bare):
        own = bodies.counterpart(b, volumes(rig))
        assert own is not None
        assert np.all(np.abs(b.half[[0, 2]] / own.half[[0, 2]] - 1) < 0.5), (b.part, b.half, own.half)


def test_hands_on_one_rope_are_related_and_swinging_ones_are_not() -> None:
    made = dict(clips.demo())
    haul, walk = made["deckhand: rope haul"], made["deckhand: walk"]
    pairs = [r for r in relations(haul.clip, haul.rig) if r.other == "right hand"]
    assert len(pairs) == 1 and pairs[0].weight.max() > 0.95
    assert not [r for r in relations(walk.clip, walk.rig) if r.other == "right hand"]
    assert relations(haul.clip, haul.rig) is relations(haul.clip, haul.rig), "found once"


def test_relations_come_and_go_gently_and_are_those_of_the_mirrored_clip() -> None:
    d = read(DATA / "boxing_cut.bvh")
    clip = d.clips[0]
    found = relations(clip, d.rig)
    assert found
    for r in found:
        assert r.weight.min() >= 0 and r.weight.max() <= 1
        assert np.abs(np.diff(r.weight)).max() < 0.35 * 120 / clip.rate


def test_a_figure_without_arms_has_no_relations() -> None:
    heron = clips.demo_rigs()["heron"].rig
    assert relations(rest_clip(heron.skeleton), heron) == ()

"""The mirror: what must hold on any rig, and a walk whose symmetry is known."""

from __future__ import annotations

import numpy as np
import pytest

from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import rest_clip
from reflexa.steps.mirror import MirrorSettings, mirror, start_heading

from . import rigs
from .conftest import DATA

PLANES = ["own start", "world"]


def degrees_apart(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.degrees(quat.angle(quat.multiply(quat.conjugate(a), b)).max()))


@pytest.mark.parametrize("seed", range(6))
def test_positions_are_the_partners_reflection(seed: int) -> None:
    rig = rigs.rig(seed, seed)
    clip = rigs.clip(rig, seed, moving=seed % 2 == 1)
    out = mirror(clip, rig, MirrorSettings("world"))
    expected = clip.model[1][:, rig.partner] * [-1, 1, 1]
    assert np.abs(out.model[1] - expected).max() < 1e-6


@pytest.mark.parametrize("plane", PLANES)
@pytest.mark.parametrize("seed", range(6))
def test_twice_is_once_around(seed: int, plane) -> None:
    """Also on rigs that are not symmetric, or lack a partner."""
    rig = rigs.rig(seed, seed, uneven=0.02 if seed > 3 else 0.0, drop=("hand_r",) if seed == 0 else ())
    clip = rigs.clip(rig, seed, moving=True)
    twice = mirror(mirror(clip, rig, MirrorSettings(plane)), rig, MirrorSettings(plane))
    assert np.radians(degrees_apart(clip.rotations, twice.rotations)) < 1e-7  # arccos-free angle, float64 noise
    assert np.abs(1 - np.abs(np.sum(clip.rotations * twice.rotations, -1))).max() < 1e-14
    assert np.abs(twice.translations - clip.translations).max() < 1e-9
    assert twice.events == clip.events


def test_own_start_keeps_place_and_heading() -> None:
    rig = rigs.rig(7)
    clip = rigs.clip(rig, 8)
    out = mirror(clip, rig, MirrorSettings())
    before, after = start_heading(clip, rig), start_heading(out, rig)
    assert degrees_apart(before[0], after[0]) < 1e-6 and np.abs(before[1] - after[1]).max() < 1e-12


def test_rest_stays_rest_and_events_change_sides() -> None:
    rig = rigs.rig(9)
    rest = rest_clip(rig.skeleton)
    assert np.abs(mirror(rest, rig, MirrorSettings()).model[1] - rest.model[1]).max() < 1e-9
    assert mirror(rigs.clip(rig, 1), rig, MirrorSettings()).events[0].name == "step_right"


def test_the_shared_walk_is_its_own_mirror_half_a_cycle_later() -> None:
    """Frames 0-37 of the shared walk are one exactly symmetric cycle of 38 frames (tests/data/SOURCES.md)."""
    document = read(DATA / "humanoid3d_walk.bvh")
    clip = document.clips[0]
    out = mirror(clip, document.rig, MirrorSettings("world"))
    i = np.arange(38)
    assert degrees_apart(out.rotations[i], clip.rotations[(i + 19) % 38]) < 1e-4


def test_the_demo_walk_is_its_own_mirror_half_a_cycle_later(deckhand_rig, deckhand_clips) -> None:
    clip = deckhand_clips["walk on the spot"]
    out = mirror(clip, deckhand_rig, MirrorSettings("world"))
    i = np.arange(32)
    assert np.abs(out.model[1][i] - clip.model[1][(i + 16) % 32]).max() < 1e-3


def test_scales_go_to_the_partner() -> None:
    from dataclasses import replace

    rig = rigs.rig(2)
    clip = rigs.clip(rig, 2)
    scales = np.ones_like(clip.translations)
    j = rig.skeleton.index["hand_l"]
    scales[:, j] = 1.5
    out = mirror(replace(clip, scales=scales), rig, MirrorSettings())
    assert np.allclose(out.scales[:, rig.partner[j]], 1.5) and np.allclose(out.scales[:, j], 1.0)

"""Skeletons, clips, kinematics, key curves, resampling."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.spatial.transform import Rotation, Slerp

from reflexa.demo import ik
from reflexa.formats import read
from reflexa.motion import curves, kinematics, quat, resample, tracks
from reflexa.motion.clip import Event
from reflexa.motion.skeleton import Skeleton, chain
from tests.helpers import rigs
from tests.helpers.files import DATA


@pytest.mark.parametrize("name", ["humanoid3d_walk", "humanoid3d_run"])
def test_forward_kinematics_matches_positions_made_independently(name: str) -> None:
    """Source: tests/data/SOURCES.md; positions there come from quaternions, not from the BVH."""
    document = read(DATA / f"{name}.bvh")
    clip = document.clips[0]
    placed = quat.rotate(quat.conjugate(document.frame.turn[0]), clip.model[1])  # back to the file's axes
    expected = json.loads((DATA / f"{name}.ref.json").read_text())["positions"]
    for joint, places in expected.items():
        assert np.abs(placed[:, clip.skeleton.index[joint]] - places).max() < 1e-6


@pytest.mark.parametrize("frames", [1, 5, 40, 1500])
def test_forward_equals_chains_of_scipy_rotations(frames: int) -> None:
    rig = rigs.rig(5)
    clip = rigs.clip(rig, 6, frames, moving=True)
    turned, placed = clip.model
    for j in (3, len(rig.skeleton) - 1):
        path = [j]
        while rig.skeleton.parents[path[-1]] >= 0:
            path.append(int(rig.skeleton.parents[path[-1]]))
        r, p = Rotation.identity(), np.zeros((frames, 3))
        for k in reversed(path):
            p = p + r.apply(np.array(clip.translations[:, k]))
            r = r * Rotation.from_quat(np.array(clip.rotations[:, k]))
        assert np.allclose(placed[:, j], p, atol=1e-12)
        assert np.allclose(Rotation.from_quat(turned[:, j]).as_matrix(), r.as_matrix(), atol=1e-12)


def test_inverse_undoes_forward_on_any_rig() -> None:
    for seed in range(5):
        rig = rigs.rig(seed)
        clip = rigs.clip(rig, seed, moving=True)
        q, t = kinematics.inverse(rig.skeleton.parents, *clip.model)
        assert np.abs(np.sum(q * clip.rotations, -1)).min() > 1 - 1e-12
        assert np.allclose(t, clip.translations, atol=1e-12)


def test_scales_act_as_matrices_do() -> None:
    """glTF 2.0, section 3.5.3: local matrix T · R · S, multiplied down the hierarchy."""
    rig = rigs.rig(1)
    clip = rigs.clip(rig, 2, 3)
    scales = np.random.default_rng(3).uniform(0.5, 1.5, (*clip.rotations.shape[:2], 3))
    _, placed = kinematics.forward(rig.skeleton.parents, clip.rotations, clip.translations, scales)
    world = np.zeros((len(rig.skeleton), 4, 4))
    for j, parent in enumerate(rig.skeleton.parents):
        local = np.eye(4)
        local[:3, :3] = quat.to_matrix(clip.rotations[1, j]) * scales[1, j]
        local[:3, 3] = clip.translations[1, j]
        world[j] = world[parent] @ local if parent >= 0 else local
    assert np.allclose(placed[1], world[:, :3, 3], atol=1e-12)


def test_a_skeleton_and_a_clip_refuse_nonsense() -> None:
    with pytest.raises(ValueError, match="before its children"):
        Skeleton(("a", "b"), np.array([1, -1]), np.zeros((2, 4)), np.zeros((2, 3)))
    with pytest.raises(ValueError, match="unique"):
        Skeleton(("a", "a"), np.array([-1, 0]), np.zeros((2, 4)), np.zeros((2, 3)))
    clip = rigs.clip(rigs.rig(0), 0)
    with pytest.raises(ValueError, match="not inside"):
        clip.cut(3, 99)
    with pytest.raises(ValueError, match="read-only"):
        clip.rotations[0, 0, 0] = 1
    assert clip.cut(1, 3).events == (Event(1, "step_left"),)
    assert chain(["a", "b"], [[0, 0, 0], [0, 1, 0]]).rest_model[1][1, 1] == 1


keys = st.lists(
    st.tuples(st.integers(0, 60), st.integers(-50_000, 50_000).map(lambda v: v / 1000)),
    min_size=3,
    max_size=8,
    unique_by=lambda k: k[0],
)


@given(keys)
@settings(deadline=None)
def test_smooth_curves_are_scipys_pchip_and_never_overshoot(points: list[tuple[int, float]]) -> None:
    """Fritsch & Carlson (1980). An equal key before and after makes SciPy's end slopes zero, as ours are."""
    t, v = np.array(sorted(points)).T
    x = np.linspace(t[0], t[-1], 301)
    ours = curves.sample(t, v[:, None], ["smooth"] * len(t), x)[:, 0]
    padded = PchipInterpolator([t[0] - 1, *t, t[-1] + 1], [v[0], *v, v[-1]])
    assert np.allclose(ours, padded(x), atol=1e-9)
    i = np.clip(np.searchsorted(t, x, side="right") - 1, 0, len(t) - 2)
    low, high = np.minimum(v[i], v[i + 1]), np.maximum(v[i], v[i + 1])
    assert np.all(ours >= low - 1e-9) and np.all(ours <= high + 1e-9)


@pytest.mark.parametrize("kind", ["hold", "linear", "smooth"])
def test_between_equal_keys_nothing_moves(kind: curves.Interpolation) -> None:
    out = curves.sample([0, 10, 20, 30], [[0.0], [3.7], [3.7], [-1.0]], [kind] * 4, np.linspace(10, 20, 77))
    assert np.all(out == 3.7)


def test_eased_curves_are_hermite_splines_through_the_slopes_that_were_set() -> None:
    """Against SciPy's CubicHermiteSpline; where nothing is set, the slopes are those of a Catmull-Rom spline."""
    t, v = np.array([0.0, 7.0, 12.0, 20.0]), np.array([[1.0], [5.0], [2.0], [2.5]])
    own = np.array([[0.0], [1 / 12], [-2.5 / 13], [0.0]])
    arrive, leave = np.array([[np.nan], [0.4], [np.nan], [-2.0]]), np.array([[1.5], [0.4], [np.nan], [np.nan]])
    x = np.linspace(0, 20, 201)
    assert np.allclose(curves.sample(t, v, ["eased"] * 4, x), CubicHermiteSpline(t, v, own)(x))
    ours = curves.sample(t, v, ["eased"] * 4, x, arrive, leave)
    for i in range(3):
        begin = own[i] if np.isnan(leave[i]) else leave[i]
        end = own[i + 1] if np.isnan(arrive[i + 1]) else arrive[i + 1]
        span = (x >= t[i]) & (x <= t[i + 1])
        spline = CubicHermiteSpline(t[i : i + 2], v[i : i + 2], np.stack([begin, end]))
        assert np.allclose(ours[span], spline(x[span]))


def test_hold_linear_and_the_ends() -> None:
    x = [-5, 0, 4, 10, 15, 20, 99]
    out = curves.sample([0, 10, 20], [[1.0], [2.0], [4.0]], ["hold", "linear", "smooth"], x)[:, 0]
    assert out.tolist() == [1, 1, 1, 2, 3, 4, 4]
    with pytest.raises(ValueError, match="rise"):
        curves.sample([0, 0], [[1.0], [2.0]], ["hold", "hold"], [0])


def test_cubic_tracks_are_hermite_splines() -> None:
    """glTF 2.0, appendix C (cubic spline), against SciPy's CubicHermiteSpline."""
    rng = np.random.default_rng(0)
    t = np.array([0.0, 0.4, 1.0, 1.1])
    keys = rng.normal(size=(4, 3, 3))
    keys[:, 0] = keys[:, 2]  # equal tangents on both sides: one spline
    x = np.linspace(0, 1.1, 50)
    ours = tracks.sample(t, keys, "CUBICSPLINE", x)
    assert np.allclose(ours, CubicHermiteSpline(t, keys[:, 1], keys[:, 2])(x), atol=1e-12)
    assert np.array_equal(tracks.sample(t, keys[:, 1], "STEP", np.array([0.39, 0.4, 5.0])), keys[[0, 1, 3], 1])


def test_resampling_is_slerp_and_keeps_time() -> None:
    clip = rigs.clip(rigs.rig(2), 3, 11)
    half = resample.to_rate(clip, 60)
    assert half.frames == 21 and half.duration == clip.duration and half.events[0].frame == 4
    r = Rotation.from_quat(np.array(clip.rotations[4:6, 3]))
    expected = Slerp([0, 1], r)(0.5).as_quat()
    assert abs(abs(expected @ half.rotations[9, 3]) - 1) < 1e-12
    assert np.array_equal(half.rotations[::2] ** 2, clip.rotations**2)
    third = resample.to_rate(clip, 20)
    assert third.frames == 7 and np.allclose(third.translations[1], clip.translations[[1, 2]].mean(0))


def test_two_bone_ik_obeys_the_law_of_cosines() -> None:
    rng = np.random.default_rng(5)
    root, pole = np.zeros((100, 3)), np.tile([0.0, 0, 1], (100, 1))
    target = rng.normal(size=(100, 3))
    target *= (rng.uniform(0.3, 0.85, 100) / np.linalg.norm(target, axis=1))[:, None]
    knee, end = ik.middle(root, target, 0.5, 0.4, pole)
    assert np.allclose(np.linalg.norm(knee, axis=1), 0.5) and np.allclose(np.linalg.norm(end - knee, axis=1), 0.4)
    assert np.abs(end - target).max() < 1e-9
    d = np.linalg.norm(target, axis=1)
    inside = np.degrees(np.arccos((0.5**2 + 0.4**2 - d**2) / (2 * 0.5 * 0.4)))
    seen = np.degrees(quat.angle(quat.between(-knee, end - knee)))
    assert np.allclose(inside, seen, atol=1e-6)
    assert np.all(
        np.sum(knee * pole, axis=1) - np.sum(target * pole, axis=1) * np.sum(knee * target, axis=1) / d**2 > 0
    )
    far = ik.middle(root[:1], np.array([[0.0, -5, 0]]), 0.5, 0.4, pole[:1])[1]
    assert 0.88 < -far[0, 1] <= 0.9 and abs(far[0, 0]) < 1e-12, "out of reach it points straight at the goal"

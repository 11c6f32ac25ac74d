"""Loops over spans of time and over feet, held against slow and obvious versions, closed forms and SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from reflexa.motion import kernels, quat, stances
from reflexa.motion.eases import eased
from reflexa.motion.kernels.parts import Model
from reflexa.motion.mixing import mixed
from reflexa.motion.resample import at_frames
from reflexa.stage import gait
from tests.helpers import rigs

Bools = NDArray[np.bool_]
SEEDS = st.integers(0, 10**6)


def _waves(seed: int, frames: int, wide: int) -> np.ndarray:
    r = np.random.default_rng(seed)
    t = np.linspace(0, 1, frames)[:, None]
    return np.sum(
        [r.normal(size=wide) * np.sin(r.uniform(2, 40) * t + r.uniform(0, 6, wide)) for _ in range(3)], axis=0
    )


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.integers(1, 120), st.integers(1, 9))
def test_standing_has_hysteresis_and_a_least_length(seed: int, frames: int, least: int) -> None:
    height, speed = _waves(seed, frames, 2).T + 0.5
    plain = np.zeros(frames, dtype=bool)
    may, sure = (height < 0.8) & (speed < 1.6), (height < 0.5) & (speed < 1.0)
    for first, last in stances.spans(may):
        plain[first : last + 1] = sure[first : last + 1].any() and last - first + 1 >= least
    assert np.array_equal(stances.standing(height, speed, 0.5, 1.0, 1.6, least), plain)


def test_speed_is_what_central_differences_say() -> None:
    track = _waves(3, 50, 3)
    assert np.allclose(stances.speeds(track, 30.0), np.linalg.norm(np.gradient(track, axis=0), axis=1) * 30)
    assert stances.speeds(track[:1], 30.0).tolist() == [0.0]


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.integers(1, 12), st.integers(1, 12))
def test_what_is_given_in_spans_is_led_there_and_back_by_cubics(seed: int, into: int, out_of: int) -> None:
    r = np.random.default_rng(seed)
    values = _waves(seed, 60, 2)
    given_ = np.repeat(r.random(12) < 0.4, 5)
    values[~given_] = np.nan
    out = eased(values, into, out_of)
    assert np.array_equal(out[given_], values[given_])
    spans = stances.spans(given_)
    if not spans:
        assert not out.any()
        return
    for (_, a), (b, _) in zip(spans, spans[1:], strict=False):
        inside = np.arange(a + 1, b)
        if b - a < into + out_of:  # straight from one to the next: what SciPy's cubic through both ends is
            slopes = [values[a] - values[max(a - 1, 0)], values[b + 1] - values[b]]
            expected = CubicHermiteSpline([a, b], [values[a], values[b]], slopes)(inside)
            assert np.allclose(out[inside], expected, atol=1e-12)
        else:
            assert not out[a + out_of : b - into + 1].any(), "nothing in between"
    assert not out[: max(spans[0][0] - into + 1, 0)].any() and not out[spans[-1][1] + out_of :].any()


def test_a_stance_begins_where_the_foot_falls_fastest_and_ends_furthest_behind() -> None:
    """O'Connor et al. 2007 and Zeni et al. 2008 on a foot that swings as a cosine about the body and comes down as a sine: it
    falls the fastest where it is furthest ahead, and leaves at its other turning point."""
    n, rate, period = 240, 60.0, 60
    body = np.zeros((n, 3))
    foot = np.zeros((n, 3))
    foot[:, 2] = 0.4 * np.cos(2 * np.pi * np.arange(n) / period)
    foot[:, 1] = 0.02 * (1 - np.sin(2 * np.pi * np.arange(n) / period))
    # What heights and speeds might say: too early on both sides.
    says = np.zeros(n, dtype=bool)
    for strike in range(0, n, period):
        says[max(strike - 4, 1) : strike + 24] = True
    out = gait.refined([says, says, says], [foot] * 3, body, 1.0, rate)
    stood = stances.spans(np.any(out, axis=0))[1:-1]
    assert [a % period for a, _ in stood] == [0, 0]
    assert [b % period for _, b in stood] == [29, 29], "the last frame before it turns round"


def test_moments_between_frames_are_what_scipy_says() -> None:
    clip = rigs.clip(rigs.rig(5, 2), 5, 20)
    at = np.array([0.0, 0.25, 3.0, 7.9, 18.5, 19.0])
    out = at_frames(clip, at)
    for j in range(len(clip.skeleton)):
        expected = Slerp(np.arange(20.0), Rotation.from_quat(np.array(clip.rotations[:, j])))(at)
        assert (expected.inv() * Rotation.from_quat(np.array(out.rotations[:, j]))).magnitude().max() < 1e-7
    assert np.array_equal(out.rotations[2], clip.rotations[3]) or np.array_equal(out.rotations[2], -clip.rotations[3])


@pytest.mark.parametrize("share", [0.0, 0.3, 1.0])
def test_mixing_goes_along_the_arc_that_scipy_says(share: float) -> None:
    rig = rigs.rig(5, 2)
    a = rigs.clip(rig, 5, 12)
    small = Rotation.from_rotvec(0.2 * _waves(4, 12 * len(rig.skeleton), 3)).as_quat().reshape(a.rotations.shape)
    b = a.with_motion(quat.multiply(a.rotations, small), a.translations + 0.1)
    out = mixed(a, b, np.full(a.rotations.shape[:2], share))
    for j in range(len(rig.skeleton)):
        p, q = (Rotation.from_quat(np.array(c.rotations[:, j])) for c in (a, b))
        expected = p * Rotation.from_rotvec(share * (p.inv() * q).as_rotvec())
        assert (expected.inv() * Rotation.from_quat(np.array(out.rotations[:, j]))).magnitude().max() < 1e-7
    assert np.allclose(out.translations, a.translations + 0.1 * share)


def test_rotation_vectors_and_arcs_of_kernels_are_those_of_the_library() -> None:
    from reflexa.motion.kernels import quaternions

    r = np.random.default_rng(2)
    for a, b in zip(quat.normalise(r.normal(size=(50, 4))), quat.normalise(r.normal(size=(50, 4))), strict=True):
        assert np.allclose(quaternions.vector(tuple(a)), quat.to_rotvec(a), atol=1e-12)
        assert np.allclose(
            quaternions.of_vector(tuple(quat.to_rotvec(a))), quat.shortest(a, quat.from_rotvec(quat.to_rotvec(a)))
        )
        assert np.allclose(quaternions.slerp(tuple(a), tuple(b), 0.3), quat.slerp(a, b, 0.3), atol=1e-12)


def test_held_feet_stay_as_they_were_held() -> None:
    """A point that was still all through but for short gaps stands as it was still; one that never was, as it stands."""
    still = np.zeros((40, 3))
    still[:10, 0] = np.linspace(1, 0.1, 10)
    still[32:, 0] = np.linspace(0.1, 1, 8)
    wide = np.zeros(40, dtype=bool)
    wide[6:36] = True
    out = stances.as_held([still, still, still], [wide] * 3, 6)
    assert stances.spans(out[0]) == [(10, 31)]
    moving = still + np.linspace(0, 0.1, 40)[:, None]
    assert stances.spans(stances.as_held([moving] * 3, [wide] * 3, 6)[0]) == [(6, 35)]


def test_a_held_foot_that_turns_about_a_point_of_its_sole_is_still_held() -> None:
    angle = np.linspace(0, 0.3, 40)  # 0.3 rad in 40 frames about the middle of a sole of 20 cm
    arm = 0.1 * np.stack([np.sin(angle), 0 * angle, np.cos(angle)], axis=1)
    stands = np.ones(40, dtype=bool)
    rolls = np.array([0, 1, 0]) * np.linspace(0, 0.05, 40)[:, None]
    assert all(each.all() for each in stances.as_held([-arm, arm], [stands] * 2, 2))
    heel, ball = stances.as_held([rolls - 2 * arm, 0 * arm], [stands] * 2, 2)
    assert not heel.any() and ball.all()


def test_carrying_and_standing_against_a_parent_are_opposites() -> None:
    clip = rigs.clip(rigs.rig(5, 2), 5, 12)
    turned, placed = clip.model
    turn, offset = quat.normalise(np.array([0.1, 0.4, -0.3, 0.8])), np.array([0.1, -0.2, 0.3])
    q, p, back, way = np.empty((12, 4)), np.empty((12, 3)), np.empty((12, 4)), np.empty((12, 3))
    kernels.chains.carried(3, turn, offset, Model(turned, placed), q, p)
    kernels.chains.against(3, Model(turned, placed), q, p, back, way)
    assert np.allclose(quat.shortest(back, turn), turn) and np.allclose(way, offset)

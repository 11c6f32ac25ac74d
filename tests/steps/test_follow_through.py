"""Follow-through: springs against the closed form of textbooks, delays against what they delay."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.errors import RecipeError
from reflexa.motion import quat, springs
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.resample import to_rate
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.steps import apply, make
from reflexa.steps.follow_through import links


def tail(joints: int = 5, seed: int = 0) -> Rig:
    """A body with a tail of joints 0.2 m long, of odd local axes."""
    rng = np.random.default_rng(seed)
    names = ("body", *(f"tail_{i + 1}" for i in range(joints)))
    parents = np.arange(joints + 1) - 1
    placed = np.array([[0.0, 1.0, 0.0]] + [[0.0, 1.0, -0.2 * (i + 1)] for i in range(joints)])
    turned = quat.from_rotvec(rng.normal(0, 1, (joints + 1, 3)))
    q, t = np.array(turned), np.array(placed)
    q[1:] = quat.multiply(quat.conjugate(turned[:-1]), turned[1:])
    t[1:] = quat.rotate(quat.conjugate(turned[:-1]), np.diff(placed, axis=0))
    return analyse(Skeleton(names, parents, q, t))


def moved(rig: Rig, yaw: Array, place: Array | None = None, rate: float = 60.0, loop: bool = False) -> Clip:
    """The body turned about up by ``yaw`` radians and moved; the tail rests."""
    n, s = len(yaw), rig.skeleton
    q, t = np.tile(s.rest_rotations, (n, 1, 1)), np.tile(s.rest_translations, (n, 1, 1))
    q[:, 0] = quat.multiply(quat.about(1, yaw), q[:, 0])
    if place is not None:
        t[:, 0] += place
    return Clip("made", s, quat.continuous(q), t, rate, loop=loop)


# Springs --------------------------------------------------------------------------------------------------------


@given(st.floats(0.2, 8), st.floats(0.0, 4.0), st.sampled_from([30.0, 60.0, 120.0]))
@settings(max_examples=60, deadline=None)
def test_a_free_spring_is_the_oscillator_of_the_textbooks(frequency, damping, rate) -> None:
    # x'' + 2 ζ ω x' + ω² x = 0 from a kick: Den Hartog, Mechanical Vibrations, chapter 2; and SciPy's own linear systems.
    leads = np.zeros((int(2 * rate), 1))
    leads[1:] = -np.arange(len(leads) - 1)[:, None] / rate  # from frame 1 on it goes back at 1 m/s
    out = springs.lag(leads, rate, frequency, damping)[:, 0]
    w = 2 * np.pi * frequency
    t = np.arange(len(leads) - 1) / rate
    if damping < 0.999:
        wd = w * np.sqrt(1 - damping**2)
        assert np.allclose(out[1:], np.exp(-damping * w * t) * np.sin(wd * t) / wd, atol=1e-9)
    from scipy.signal import lsim  # takes a second to import

    kicked = lsim(([[0, 1], [-w * w, -2 * damping * w]], [[0], [0]], [[1, 0]], [[0]]), np.zeros_like(t), t, X0=[0, 1])[
        1
    ]
    assert np.allclose(out[1:], kicked, atol=1e-6)
    assert np.abs(out).max() <= 1 / w * 1.001 + 1e-12, "never unstable, however stiff"


def test_springs_do_not_depend_on_the_frame_rate() -> None:
    frequency, damping = 2.0, 0.3
    t = np.linspace(0, 3, 361)
    smooth = np.stack([0.5 * np.sin(2 * np.pi * 0.7 * t), 0.2 * t, np.cos(1.3 * t)], axis=-1)
    slow = smooth[::4]
    fine = np.stack(
        [np.interp(t, t[::4], slow[:, i]) for i in range(3)], axis=-1
    )  # the same motion at four times the rate
    exact = springs.lag(fine, 120.0, frequency, damping)[::4]
    assert np.allclose(exact, springs.lag(slow, 30.0, frequency, damping), atol=1e-12)
    ways = [springs.lag(smooth[::k], 120.0 / k, frequency, damping)[:: 4 // k] for k in (1, 2, 4)]
    size = np.abs(ways[0]).max()
    assert np.abs(ways[1] - ways[0]).max() < 0.01 * size and np.abs(ways[2] - ways[0]).max() < 0.05 * size


@pytest.mark.parametrize("damping", [0.1, 0.5, 1.0, 2.0])
def test_a_tail_on_springs_at_30_60_and_120_frames(damping) -> None:
    rig = tail()
    t = np.linspace(0, 2, 241)
    whole = moved(rig, 0.8 * np.sin(2 * np.pi * 0.8 * t), rate=120.0)
    step = make("follow-through", chain="tail_1", frequency=1.5, damping=damping)
    ends = [
        apply(step, to_rate(whole, rate), rig).model[1][:: round(rate / 30), -1] for rate in (30.0, 60.0, 120.0)
    ]  # fmt: skip
    swing = np.ptp(ends[2], axis=0).max()
    assert np.abs(ends[1] - ends[2]).max() < 0.02 * swing and np.abs(ends[0] - ends[2]).max() < 0.06 * swing


def test_a_link_swings_as_the_closed_pendulum_after_a_stop() -> None:
    # Small angles: the end of one link, carried at 0.05 m/s to the side and stopped, swings as e(t) of the oscillator.
    rig = tail(2)
    rate, n, stop = 120.0, 240, 60
    place = np.zeros((n, 3))
    place[:, 0] = 0.05 * np.minimum(np.arange(n), stop) / rate
    clip = moved(rig, np.zeros(n), place, rate)
    frequency, damping = 1.2, 0.2
    out = apply(make("follow-through", chain="tail_1", frequency=frequency, damping=damping), clip, rig)
    w = 2 * np.pi * frequency
    wd = w * np.sqrt(1 - damping**2)
    t = np.arange(n - stop) / rate
    wanted = 0.05 * np.exp(-damping * w * t) * np.sin(wd * t) / wd
    swung = out.model[1][stop:, 2, 0] - clip.model[1][stop:, 2, 0]  # the second joint is the end of the first link
    assert np.abs(swung - wanted).max() < 0.02 * wanted.max()


@pytest.mark.parametrize("way", [{"way": "spring"}, {"way": "delay"}, {"way": "delay", "space": "parent"}])
def test_a_loop_closes_and_steady_travel_and_turns_leave_no_jump(way) -> None:
    rig = tail()
    n = 49
    t = np.linspace(0, 1, n)
    yaw = 0.5 * np.sin(2 * np.pi * t) + 0.7 * t  # sways, and turns by 0.7 rad a cycle
    heading = 0.7 * t
    place = np.stack([np.sin(heading), np.zeros(n), np.cos(heading)], axis=-1)
    clip = moved(rig, yaw, place, 30.0, loop=True)
    out = apply(make("follow-through", chain="tail_1", damping=0.15, **way), clip, rig)
    own = quat.multiply(quat.conjugate(out.rotations[0, 1:]), out.rotations[-1, 1:])
    assert np.degrees(quat.angle(own)).max() < 0.01, "the last pose is the first again"
    tips = quat.rotate(quat.conjugate(out.model[0][:, 0]), out.model[1][:, -1] - out.model[1][:, 0])
    speed = np.diff(np.concatenate([tips, tips[1:3]]), axis=0)
    jumps = np.linalg.norm(np.diff(speed, axis=0), axis=1)
    assert jumps[n - 3 :].max() < 3 * np.median(jumps) + 1e-3, "and it goes on as smoothly as anywhere else"


# Delay ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("frames", [0.0, 3.0, 2.5])
def test_each_link_does_what_the_one_above_did_some_frames_ago(frames) -> None:
    rig = tail()
    t = np.arange(80)
    clip = moved(rig, 0.6 * np.sin(t / 9.0))
    out = apply(make("follow-through", chain="tail_1", way="delay", frames=frames), clip, rig)
    turned, rest = out.model[0], rig.neutral.rest_model[0]
    for j in range(1, len(rig.skeleton)):
        yaw = np.interp(t - frames * j, t, 0.6 * np.sin(t / 9.0))
        delta = quat.multiply(turned[:, j], quat.conjugate(rest[j]))
        wanted = quat.about(1, yaw)
        off = np.degrees(quat.angle(quat.multiply(delta, quat.conjugate(wanted))))[20:]  # past the kink of the start
        assert off.max() < (0.01 if frames != 2.5 else 0.25)
    if frames == 0:
        assert np.abs(out.model[1] - clip.model[1]).max() < 1e-9


def test_in_the_parents_space_a_bend_runs_down_the_chain() -> None:
    rig = tail()
    clip = moved(rig, np.zeros(60))
    q = np.array(clip.rotations)
    wave = quat.about(0, 0.4 * np.exp(-(((np.arange(60) - 15) / 5.0) ** 2)))
    rest = rig.neutral.rest_model[0]
    q[:, 1] = quat.multiply(quat.multiply(quat.multiply(quat.conjugate(rest[0]), wave), rest[0]), q[:, 1])
    out = apply(
        make("follow-through", chain="tail_1", way="delay", space="parent", frames=4),
        clip.with_motion(q, clip.translations),
        rig,
    )
    for j in range(1, 6):
        bend = quat.angle(quat.multiply(quat.conjugate(rig.skeleton.rest_rotations[j]), out.rotations[:, j]))
        assert int(np.argmax(bend)) == 15 + 4 * (j - 1) and bend.max() == pytest.approx(0.4, abs=1e-6)


def test_amounts_limits_and_what_there_is_no_chain_for() -> None:
    rig = tail()
    t = np.arange(60)
    clip = moved(rig, np.where(t < 20, 0.0, 2.5), rate=30.0)
    assert apply(make("follow-through", chain="tail_1", amount=0), clip, rig) is clip
    wild = apply(make("follow-through", chain="tail_1", damping=0, most=20, frequency=5), clip, rig)
    led = quat.multiply(wild.model[0][:, 0], quat.multiply(quat.conjugate(clip.model[0][:, 0]), clip.model[0][:, 1]))
    assert np.degrees(quat.angle(quat.multiply(wild.model[0][:, 1], quat.conjugate(led)))).max() <= 20.001
    assert np.isfinite(wild.model[1]).all()
    one = clip.cut(0, 0)
    assert apply(make("follow-through", chain="tail_1"), one, rig) is one
    with pytest.raises(RecipeError, match="no chain or joint 'scarf'"):
        apply(make("follow-through", chain="scarf"), clip, rig)
    with pytest.raises(RecipeError, match="no chain is chosen"):
        apply(make("follow-through"), clip, rig)
    assert [rig.skeleton.names[j] for j in links(rig, "tail_3")] == ["tail_3", "tail_4", "tail_5"]

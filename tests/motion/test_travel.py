"""Travel over the ground, loops that go on, and when feet stand, alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline, PchipInterpolator

from reflexa.motion import cycle, quat, stances, travel
from reflexa.motion.clip import Clip
from reflexa.motion.resample import at_frames
from reflexa.rig.soles import soles
from reflexa.stage.footing import Thresholds, footing, level_of
from tests.helpers import rigs


def still(*places: tuple[float, float, float]) -> list[np.ndarray]:
    return [np.tile(p, (40, 1)).astype(float) for p in places]


# Places and headings --------------------------------------------------------------------------------------------


def test_headings_go_on_past_a_half_turn_and_over_the_poles() -> None:
    angle = np.linspace(0, 7, 200)
    assert np.allclose(travel.headings(travel.yaw(angle), np.array([0.0, 0.0, 1.0])), angle)
    up = quat.about(0, np.full(5, -np.pi / 2))
    assert np.allclose(travel.headings(up, np.array([0.0, 0.0, 1.0])), 0), (
        "straight up there is none: nothing is made up"
    )
    through = quat.multiply(travel.yaw(np.full(9, 0.4)), quat.about(0, np.linspace(0, -np.pi / 2, 9)))
    assert np.allclose(travel.headings(through, np.array([0.0, 0.0, 1.0])), 0.4), "the last heading holds at the pole"


@given(st.integers(3, 80), st.floats(0.05, 2.0), st.booleans())
@settings(max_examples=40, deadline=None)
def test_smoothing_keeps_ends_straight_lines_and_closes_loops(frames, seconds, loop) -> None:
    rng = np.random.default_rng(frames)
    line = np.linspace([0, 1], [3, -2], frames)
    assert np.allclose(travel.smoothed(line, "smoothed", seconds, 30, loop), line, atol=1e-9)
    track = line + rng.normal(0, 0.2, (frames, 2))
    if loop:
        track[-1] = track[0] + (line[-1] - line[0])
    out = travel.smoothed(track, "smoothed", seconds, 30, loop)
    if loop:
        assert np.allclose(out[-1] - out[0], track[-1] - track[0], atol=1e-9)
    else:
        assert np.allclose(out[[0, -1]], track[[0, -1]], atol=1e-9)
    assert np.array_equal(travel.smoothed(track, "exact", seconds, 30, loop), track)
    straight = travel.smoothed(track, "straight", seconds, 30, loop)
    assert np.abs(np.diff(straight, n=2, axis=0)).max(initial=0) < 1e-9


def test_what_is_faster_than_the_smoothing_goes_and_what_is_slower_stays() -> None:
    t = np.arange(300) / 30
    slow, fast = np.sin(2 * np.pi * t / 6), 0.3 * np.sin(2 * np.pi * t * 4)
    out = travel.smoothed((slow + fast)[:, None], "smoothed", 0.5, 30, loop=False)[30:-30, 0]
    assert np.abs(out - slow[30:-30]).max() < 0.06


def test_a_path_is_the_centripetal_spline_of_scipy() -> None:
    points = np.array([(0.0, 0.0), (1.0, 0.2), (1.4, 2.0), (0.0, 3.0)])
    knots = np.concatenate([[0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1)))])
    curve = CubicSpline(knots, points, bc_type="natural")(np.linspace(0, knots[-1], 20_000))
    path = travel.Path(points)
    length = np.linalg.norm(np.diff(curve, axis=0), axis=1).sum()
    assert path.length == pytest.approx(length, rel=1e-4)
    on = path.at(np.linspace(0, path.length, 50))[0]
    away = np.linalg.norm(curve[None] - on[:, None], axis=-1).min(axis=1)
    assert away.max() < 2e-3
    assert np.allclose(path.at([0.0, path.length])[0], points[[0, -1]], atol=1e-9)
    two = travel.Path([(0, 0), (3, 4)])
    assert two.length == pytest.approx(5) and np.allclose(two.at([2.5])[0], [[1.5, 2.0]])
    for wrong in ([], [(1, 1)], [(1, 1), (1, 1)], [(0, 0), (np.inf, 1)]):
        with pytest.raises(ValueError, match=r"two points|finite"):
            travel.Path(wrong)


def test_the_pace_is_that_of_scipys_monotone_cubic_and_the_path_is_walked_whole() -> None:
    pace = [(0.0, 1.0), (0.4, 2.0), (1.0, 0.5)]
    s, speed = travel.distances(6.0, 301, pace, 30.0)
    assert s[0] == 0 and s[-1] == pytest.approx(6.0) and np.all(np.diff(s) >= 0)
    wanted = PchipInterpolator(*np.array(pace).T)(np.linspace(0, 1, 301))
    ratio = speed[1:-1] / wanted[1:-1]
    assert np.ptp(ratio) / ratio.mean() < 2e-3
    assert speed[1:-1].mean() == pytest.approx(6.0 / 10.0, rel=1e-2)
    even, _ = travel.distances(6.0, 11, [], 30.0)
    assert np.allclose(np.diff(even), 0.6)
    assert np.allclose(travel.distances(6.0, 11, [(0.0, 0.0), (1.0, 0.0)], 30.0)[0], even), "no pace at all is even"
    assert travel.distances(6.0, 1, pace, 30.0)[0].tolist() == [0.0]


def test_feet_that_go_back_evenly_carry_the_figure_exactly() -> None:
    t = np.arange(41)
    heel = np.stack([np.zeros(41), np.zeros(41), -0.05 * t], axis=-1)
    ball = heel + [0, 0, 0.2]
    always, never = np.ones((1, 3, 41), bool), np.zeros((1, 3, 41), bool)

    def come(first: np.ndarray, stands: np.ndarray, high: float = 0.0) -> np.ndarray:
        points = np.stack([first, ball, ball])[None]
        return travel.from_feet(points, points[..., 1] + high, stands, 0.9, (30.0, False))

    assert np.allclose(come(heel, always)[:, 1], 0.05 * t) and np.allclose(come(heel, always)[:, 0], 0)
    # In flight it goes on at the speed that it had; before the first step too.
    stands = always & (t > 5) & (t < 20)
    assert np.allclose(np.diff(come(heel, stands)[:, 1]), 0.05)
    assert not come(heel, never, 2.0).any(), "nobody ever stands"
    assert np.allclose(come(heel, never)[:, 1], 0.05 * t), "nobody is known to stand, but the foot is low and level"
    # A heel that lifts no longer counts: the ball bears.
    lifted = heel + np.stack([np.zeros(41), 0.002 * t, 0.03 * t], axis=-1)
    assert np.diff(come(lifted, always)[:, 1])[5:] == pytest.approx(0.05, abs=2e-3)


# Loops ----------------------------------------------------------------------------------------------------------


def test_a_loops_track_goes_on_on_either_side(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    turn, move = cycle.seam(clip, rig.travel_joint)
    places = clip.model[1][:, rig.joint("left foot")]
    long = cycle.continued(places, turn, move, 40)
    again = cycle.repeated(clip, rig.travel_joint, 3).model[1][:, rig.joint("left foot")]
    assert np.allclose(long[40:], again[: len(long) - 40], atol=1e-9)
    assert np.allclose(long[40 - 32 : 40], places[:-1] - move, atol=1e-9), "before its start, a cycle's travel back"


def test_a_frame_some_rounds_later_is_that_of_the_loop_written_out(deckhand_clips, deckhand_rig) -> None:
    clip, joint = deckhand_clips["walk"], deckhand_rig.travel_joint
    bent = np.array(clip.rotations)
    root = deckhand_rig.joint("root")
    bent[:, root] = quat.multiply(travel.yaw(np.linspace(0, 0.4, clip.frames)), bent[:, root])
    curved = clip.with_motion(bent, clip.translations)
    long = cycle.repeated(curved, joint, 4)
    for rounds, frame in ((0, 3), (1, 0), (3, 20)):
        one = cycle.after_rounds(curved, joint, frame, rounds)
        assert np.abs(one.model[1][0] - long.model[1][32 * rounds + frame]).max() < 1e-9


# Feet -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(6))
def test_soles_lie_on_the_ground_of_the_neutral_pose_whatever_the_axes(seed) -> None:
    rig = rigs.rig(seed, style=seed)
    turned, placed = (a[None] for a in rig.neutral.rest_model)
    for side, sole in soles(rig).items():
        heel, ball = sole.points(turned, placed)
        assert np.allclose(sole.underside(turned, placed)[..., 1], rig.ground, atol=1e-9)
        assert (ball - heel)[0] @ rig.facing > 0 and side in ("left", "right")
        assert np.allclose(quat.rotate(turned[0, sole.ankle], sole.up), [0, 1, 0], atol=1e-9)
        assert np.allclose(quat.rotate(turned[0, sole.ankle], sole.forth), (ball - heel)[0], atol=1e-9)


def test_how_high_a_clip_hovers_is_where_its_feet_are_lowest(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["walk"]
    own = level_of(clip, deckhand_rig)[0]
    up = np.array(clip.translations)
    up[:, deckhand_rig.joint("root"), 1] += 0.05
    assert level_of(clip.with_motion(clip.rotations, up), deckhand_rig)[0] - own == pytest.approx(0.05, abs=1e-9)
    up[:, deckhand_rig.joint("root"), 1] += 3.0
    assert level_of(clip.with_motion(clip.rotations, up), deckhand_rig)[0] < 0.2, (
        "who hangs three metres up does not hover"
    )
    high = footing(clip.with_motion(clip.rotations, up), deckhand_rig, floor="stage")
    assert not any(f.stands.any() for f in high.values()), "and does not stand"


def test_a_foot_that_stands_over_the_seam_of_a_loop_stands_on_both_sides(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    found = footing(walk, deckhand_rig)
    assert all(f.stands[0] == f.stands[-1] for f in found.values())
    assert found["right"].stands[:3].all() and found["right"].stands[-3:].all()


def test_thresholds_scale_with_the_leg() -> None:
    small, large = rigs.rig(3, scale=0.3), rigs.rig(3)
    one = rigs.clip(large, 5, frames=30)
    less = Clip("small", small.skeleton, one.rotations, one.translations * 0.3, one.rate)
    for by in (Thresholds(), Thresholds(0.3, 5.0)):
        a, b = footing(one, large, by=by), footing(less, small, by=by)
        assert all(np.array_equal(a[s].stands, b[s].stands) for s in a)
    assert stances.speeds(still((0, 0, 0))[0], 30).max() == 0


# When feet strike and leave ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("name", "within"), [("walk to the landing", 0.020), ("walk on the spot", 0.030)])
def test_feet_strike_and_leave_when_they_do(name: str, within: float, deckhand_clips, deckhand_rig) -> None:
    """Strikes within 20 ms (on the spot 30) and toe offs within 30 ms, as kinematic methods are judged by (Zeni et al. 2008;
    O'Connor et al. 2007), of when the walk was keyed to strike (its events) and to leave: at 62 % of the cycle (Perry & Burnfield
    2010: 60 to 62 %)."""
    clip = deckhand_clips[name]
    fine = replace(at_frames(clip, np.arange(0, clip.frames - 0.999, 0.25)), rate=120.0)
    cycle_ = 32 / 30
    for side, foot in footing(fine, deckhand_rig).items():
        keyed = [e.frame / 30 for e in clip.events if e.name == f"step_{side}"]
        keyed += [k + clip.duration for k in keyed if clip.loop]
        for first, last in stances.spans(foot.stands):
            if first > 0:
                assert min(abs(first / 120 - k) for k in keyed) <= within + 1e-9, (side, first)
                if last < fine.frames - 1:
                    assert abs((last + 1) / 120 - (first / 120 + 0.62 * cycle_)) < 0.030, (side, first, last)

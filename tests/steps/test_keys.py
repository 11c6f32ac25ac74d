"""Work on keys: timing on whole frames, copies to the other side and to other rigs, fewer keys, layers merged."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.match import rename_map
from reflexa.steps import apply, from_plain, make, to_plain
from reflexa.steps.correction import CorrectionSettings, Key, Track, correct, pose_key, set_key, track_at
from reflexa.steps.correction.copies import copy_keys, mirrored_track, paste_keys
from reflexa.steps.correction.edits import all_keys
from reflexa.steps.correction.layers import extracted, merged, split_off, turned_into
from reflexa.steps.correction.reduction import reduce_keys
from reflexa.steps.correction.timing import (
    EASES,
    begin_after,
    ease,
    every_nth,
    flatten,
    hold_until,
    repeat_at,
    scale_keys,
    stretch_keys,
)
from reflexa.steps.mirror import reflected
from tests.helpers import rigs

RIG = rigs.rig(3, extras=True)
CLIP = rigs.clip(RIG, 3, 60)


def on(*frames: int, joint: str = "hand_l") -> CorrectionSettings:
    return CorrectionSettings(tracks=(Track(joint, tuple(Key(f, (float(f), 0.0, 0.0)) for f in frames)),))


def at(s: CorrectionSettings, joint: str = "hand_l") -> list[int]:
    return [k.frame for k in s.track(joint).keys]


def test_six_frames_apart_from_thirty_to_twenty_five_are_five_apart() -> None:
    """Common practice, no source."""
    s = on(0, 6, 12, 18, 24, 30)
    assert at(stretch_keys(s, all_keys(s), 25, 59)) == [0, 5, 10, 15, 20, 25]
    assert at(stretch_keys(on(0, 7, 14, 21), all_keys(on(0, 7, 14, 21)), 10, 59)) == [0, 3, 7, 10]


@settings(max_examples=60, deadline=None)
@given(st.sets(st.integers(0, 59), min_size=1, max_size=12), st.integers(0, 59), st.floats(0.1, 4))
def test_scaled_keys_sit_on_whole_frames_inside_the_clip_and_keep_their_order(frames, about, factor) -> None:
    s = on(*sorted(frames))
    out = scale_keys(s, all_keys(s), about, factor, 59)
    found = at(out)
    assert found == sorted(set(found)) and found[0] >= 0 and found[-1] <= 59 and all(isinstance(f, int) for f in found)
    if about in frames:
        assert about in found, "the frame that is scaled about stays"
    assert scale_keys(s, all_keys(s), about, 1.0, 59) == s


def test_copied_keys_go_to_the_playhead_to_their_own_frames_and_to_other_joints() -> None:
    s = on(10, 14, 20)
    copied = copy_keys(s, {("hand_l", 14), ("hand_l", 20)})
    out, gone = paste_keys(s, copied, RIG, 59, at=40)
    assert at(out) == [10, 14, 20, 40, 46] and not gone
    other, _ = paste_keys(CorrectionSettings(), copied, RIG, 59)
    assert at(other) == [14, 20]
    over, _ = paste_keys(CorrectionSettings(), copied, RIG, 59, at=55)
    assert at(over) == [55], "what falls behind the end is left out"
    away, gone = paste_keys(CorrectionSettings(), copied, rigs.rig(1, 1), 59)
    assert gone == ("hand_l",) and not away.tracks
    target = rigs.rig(3, 0, extras=True)
    named = rename_map(RIG, target)
    assert at(paste_keys(CorrectionSettings(), copied, target, 59, names=named)[0]) == [14, 20]


@pytest.mark.parametrize("space", ["own", "parent", "world"])
@pytest.mark.parametrize("seed", range(3))
def test_a_correction_pasted_mirrored_is_the_mirror_of_the_correction(space: str, seed: int) -> None:
    """On rigs with any local axes: mirror of (clip + keys) = (mirror of clip) + mirrored keys."""
    rig = rigs.rig(seed, seed)
    clip = rigs.clip(rig, seed, 20)
    name = rig.skeleton.names[rig.joint("left forearm")]
    s = set_key(
        CorrectionSettings(whole_clip=True),
        name,
        7,
        19,
        rotate=(20.0, -30.0, 10.0),
        move=(0.01, 0.02, -0.03),
        space=space,
    )
    (track,) = s.tracks
    a = reflected(correct(clip, rig, s), rig, "world")
    b = correct(reflected(clip, rig, "world"), rig, CorrectionSettings(tracks=(mirrored_track(track, rig),)))
    assert np.abs(a.model[1] - b.model[1]).max() < 1e-6
    again = mirrored_track(mirrored_track(track, rig), rig)
    assert again.joint == name and np.allclose(again.keys[0].rotate, track.keys[0].rotate)


def test_a_mirrored_limb_swings_the_other_way() -> None:
    track = Track("hand_l", (Key(3, swing=20.0, move=(0.1, 0.0, 0.0)),), "world", "limb")
    out = mirrored_track(track, RIG)
    assert (
        out.joint == "hand_r"
        and out.drives == "limb"
        and out.keys[0].swing == -20
        and out.keys[0].move == pytest.approx((-0.1, 0, 0))
    )


def test_the_same_again_at_each_of_these_frames() -> None:
    s = set_key(CorrectionSettings(falloff=3), "hand_l", 10, 59, rotate=(5.0, 0.0, 0.0))
    out = repeat_at(s, all_keys(s), [27, 47, 58], 59)
    assert at(out) == [7, 10, 13, 27, 30, 33, 47, 50, 53, 58]
    r = track_at(out.track("hand_l"), np.arange(60))[0][:, 0]
    assert r[[10, 30, 50]] == pytest.approx(5) and r[[7, 20, 27, 40]] == pytest.approx(0)


def test_a_layer_split_in_two_does_what_it_did() -> None:
    s = set_key(
        set_key(CorrectionSettings(), "hand_l", 20, 59, rotate=(9.0, 0, 0)), "neck", 30, 59, rotate=(0.0, 7.0, 0)
    )
    rest, own = split_off(s, {"neck"})
    both = correct(correct(CLIP, RIG, rest), RIG, own)
    assert np.array_equal(both.rotations, correct(CLIP, RIG, s).rotations)
    assert [t.joint for t in own.tracks] == ["neck"]


def test_motion_taken_out_and_added_again_is_the_clip() -> None:
    joints = [RIG.skeleton.names[j] for j in RIG.skeleton.below(RIG.skeleton.index["upper_arm_l"])]
    hold, motion = extracted(CLIP, RIG, joints)
    held = correct(CLIP, RIG, hold)
    again = correct(held, RIG, motion)
    assert np.abs(again.translations - CLIP.translations).max() < 1e-9
    assert quat.angle(quat.multiply(quat.conjugate(CLIP.rotations), again.rotations)).max() < 1e-9
    inside = [RIG.skeleton.index[j] for j in joints]
    assert np.abs(held.rotations[:, inside] - CLIP.rotations[:1, inside]).max() < 1e-9, "held as at the first frame"
    outside = [j for j in range(len(RIG.skeleton)) if j not in inside]
    assert np.array_equal(again.rotations[:, outside], CLIP.rotations[:, outside])
    half = apply(msgspec.structs.replace(make("correction"), settings=motion, weight=0.5), held, RIG)
    way = quat.multiply(quat.conjugate(held.rotations), CLIP.rotations)[:, inside]
    done = quat.multiply(quat.conjugate(held.rotations), half.rotations)[:, inside]
    rest = quat.multiply(quat.conjugate(quat.multiply(done, done)), way)
    assert quat.angle(rest).max() < 1e-9, "half the weight, half the motion: twice it is all of it"


# Fewer keys -----------------------------------------------------------------------------------------------


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 1000), st.floats(0.1, 5))
def test_thinned_curves_stay_within_their_tolerance_everywhere(seed: int, degrees: float) -> None:
    rng = np.random.default_rng(seed)
    walk = np.cumsum(rng.normal(0, 1.5, (50, 3)), axis=0)
    s = CorrectionSettings(tracks=(Track("hand_l", tuple(Key(f, tuple(walk[f].tolist())) for f in range(50))),))
    out = reduce_keys(s, degrees, 1.0)
    before, after = (track_at(x.track("hand_l"), np.arange(50))[0] for x in (s, out))
    assert np.linalg.norm(before - after, axis=-1).max() <= degrees + 1e-9
    assert at(out)[0] == 0 and at(out)[-1] == 49 and len(at(out)) <= 50
    assert reduce_keys(out, degrees, 1.0) == out or len(at(reduce_keys(out, degrees, 1.0))) <= len(at(out))


def test_keys_on_a_straight_line_go() -> None:
    keys = tuple(Key(f, (float(f), 0.0, 0.0), then="linear") for f in range(0, 31, 5))
    assert at(reduce_keys(CorrectionSettings(tracks=(Track("hand_l", keys),)), 0.01, 1.0)) == [0, 30]


def layers() -> tuple:
    a = make("correction", "a")
    a = msgspec.structs.replace(
        a, settings=set_key(CorrectionSettings(), "upper_arm_l", 20, 59, rotate=(30.0, 0.0, 0.0)), weight=0.5
    )
    b = set_key(CorrectionSettings(falloff=10), "hand_l", 35, 59, move=(0.03, 0.02, 0.0), drives="limb", space="world")
    b = set_key(b, "hips", 30, 59, move=(0.0, -0.05, 0.0), space="world")
    return a, msgspec.structs.replace(make("correction", "b"), settings=b)


@pytest.mark.parametrize("tolerance", [(0.2, 0.5), (2.0, 5.0)])
def test_layers_merged_do_what_they_did_within_the_tolerance_with_few_keys(tolerance) -> None:
    out = CLIP
    for step in layers():
        out = apply(step, out, RIG)
    found = merged(CLIP, out, [8, 20, 32, 25, 35, 45], *tolerance)
    again = correct(CLIP, RIG, found.settings)
    turn = np.degrees(quat.angle(quat.multiply(quat.conjugate(out.rotations), again.rotations)))
    assert (
        turn.max() <= tolerance[0] * 1.02
        and np.abs(again.translations - out.translations).max() <= tolerance[1] / 1000 + 1e-9
    )
    assert found.degrees <= tolerance[0] and found.mm <= tolerance[1]
    assert found.keys == sum(len(t.keys) for t in found.settings.tracks) < 0.6 * 60 * len(found.settings.tracks)
    dense = merged(CLIP, out, [], *tolerance, every_frame=True)
    assert dense.keys == 60 * len(dense.settings.tracks)
    assert np.abs(correct(CLIP, RIG, dense.settings).rotations - out.rotations).max() < 1e-6


def test_merging_nothing_gives_nothing() -> None:
    assert merged(CLIP, CLIP, [3]).settings == CorrectionSettings() and merged(CLIP, CLIP, [3]).keys == 0


def test_a_correction_is_held_from_here_to_there_and_begun_after_a_frame() -> None:
    s = set_key(CorrectionSettings(falloff=6), "hand_l", 20, 59, rotate=(10.0, 0, 0))
    held = hold_until(s, ["hand_l", "neck"], 20, 35, 59)
    assert at(held) == [14, 20, 35, 41]
    r = track_at(held.track("hand_l"), np.arange(60))[0][:, 0]
    assert np.all(r[20:36] == 10) and r[14] == 0 and r[41] == 0
    inside = hold_until(s, ["hand_l"], 17, 50, 59)
    value = track_at(s.track("hand_l"), np.array([17]))[0][0, 0]
    assert np.allclose(track_at(inside.track("hand_l"), np.arange(17, 51))[0][:, 0], value), "whatever it is there"
    assert hold_until(s, ["hand_l"], 20, 20, 59) == s
    begun = begin_after(held, ["hand_l"], 28)
    r = track_at(begun.track("hand_l"), np.arange(60))[0][:, 0]
    assert np.all(r[:29] == 0) and r[35] == 10
    assert begin_after(s, ["hand_l"], 40) == s


@pytest.mark.parametrize("seed", [1, 2, 5])
def test_a_layer_that_replaces_leaves_the_motion_below_whatever_it_is(seed: int) -> None:
    rig = rigs.rig(seed, extras=True)
    a, b = rigs.clip(rig, seed, 30), rigs.clip(rig, seed + 10, 30)
    s = CorrectionSettings(how="replace", tracks=(Track("hand_l", (pose_key(a, "hand_l", 4, 7),)),))
    s = set_key(s, "hand_l", 20, 29, rotate=(0.0, 0.0, 0.0), move=(0.0, 0.0, 0.0))
    assert at(s) == [7, 20], "no neutral keys: they would say the rest pose"
    j, others = rig.skeleton.index["hand_l"], [j for j, n in enumerate(rig.skeleton.names) if n != "hand_l"]
    out = [correct(clip, rig, s) for clip in (a, b)]
    assert np.array_equal(out[0].rotations[:, j], out[1].rotations[:, j])
    assert np.array_equal(out[0].rotations[:, others], a.rotations[:, others])
    assert quat.angle(quat.multiply(quat.conjugate(a.rotations[4, j]), out[1].rotations[3, j])) < 1e-9
    assert np.abs(out[1].translations[3, j] - a.translations[4, j]).max() < 1e-9
    assert np.array_equal(out[1].rotations[25, j], rig.skeleton.rest_rotations[j]), "nothing is the rest pose"


def test_one_merge_of_many_layers_keeps_joints_apart() -> None:
    """Spans are filled all at once: what one joint needs must not set keys on another."""
    s = set_key(CorrectionSettings(falloff=4), "hand_l", 10, 59, rotate=(30.0, 0.0, 0.0))
    s = set_key(s, "neck", 40, 59, rotate=(0.0, 12.0, 0.0))
    found = merged(CLIP, correct(CLIP, RIG, s), at(s), 0.1, 0.5)
    for joint, frame in (("hand_l", 10), ("neck", 40)):
        keys = [k.frame for k in found.settings.track(joint).keys if not k.neutral]
        assert keys and all(abs(f - frame) <= 4 for f in keys)
    assert found.keys <= 12


def test_easings_begin_and_end_as_they_say_and_only_two_overshoot() -> None:
    s = CorrectionSettings(tracks=(Track("hand_l", (Key(10), Key(30, (20.0, 0.0, 0.0), (0.0, 0.1, 0.0)))),))
    at_frames = np.arange(10, 31)
    for name, (begin, end) in EASES.items():
        out = ease(s, {("hand_l", 10)}, begin, end)
        turn, move, _ = track_at(out.track("hand_l"), at_frames)
        x = turn[:, 0]
        assert x[0] == 0 and x[-1] == 20
        outside = x.min() < -1e-9 or x.max() > 20 + 1e-9
        assert outside == (name in ("Anticipate", "Overshoot and settle")), name
        assert np.allclose(move[:, 1] * 200, x), "every channel alike"
        first, last = x[1] - x[0], x[-1] - x[-2]
        if name == "Slow start":
            assert first < 0.3 < 1 < last
        elif name == "Slow end":
            assert last < 0.3 < 1 < first
        elif name == "Even":
            assert np.allclose(np.diff(x), 1.0)
    wider = scale_keys(ease(s, {("hand_l", 10)}, 0.0, -1.5), {("hand_l", 10), ("hand_l", 30)}, 10, 2.0, 59)
    narrow = ease(s, {("hand_l", 10)}, 0.0, -1.5)
    there = track_at(wider.track("hand_l"), np.arange(10, 51, 2))[0]
    assert np.allclose(there, track_at(narrow.track("hand_l"), at_frames)[0]), "a scaled curve keeps its shape"
    assert len(all_keys(reduce_keys(narrow, 0.1, 0.1))) == 2


def test_flattened_keys_do_not_move_and_every_second_is_chosen() -> None:
    s = ease(on(5, 10, 20, 30), all_keys(on(5, 10, 20, 30)), 0.0, 2.0)
    level = flatten(s, {("hand_l", 10), ("hand_l", 20)})
    assert np.all(track_at(level.track("hand_l"), np.arange(10, 21))[0][:, 0] == 10.0)
    assert track_at(level.track("hand_l"), np.array([5, 30]))[0][:, 0].tolist() == [5.0, 30.0]
    assert every_nth(s, all_keys(s), 2) == {("hand_l", 5), ("hand_l", 20)}


@pytest.mark.parametrize("drives", ["joint", "limb"])
def test_a_layer_made_to_replace_and_to_add_again_keeps_the_pose_on_its_keys(drives) -> None:
    """As far as a layer can: between its keys one that replaces says what happens, one that adds lets the motion play."""
    s = set_key(CorrectionSettings(falloff=9), "hand_l", 20, 59, rotate=(10.0, 5.0, 0.0), move=(0.02, 0.03, 0.0),
                drives=drives, space="world")  # fmt: skip
    s = set_key(
        s, "spine_01" if "spine_01" in RIG.skeleton.index else RIG.skeleton.names[2], 24, 59, rotate=(0.0, 8.0, 0.0)
    )
    wanted = correct(CLIP, RIG, s)
    replaces = turned_into(s, "replace", CLIP, RIG)
    out = correct(CLIP, RIG, replaces)
    frames = sorted({f for _, f in all_keys(s)})
    for track in replaces.tracks:
        j = RIG.skeleton.index[track.joint]
        at_keys = [k.frame for k in track.keys]
        assert np.abs(out.translations[at_keys, j] - wanted.translations[at_keys, j]).max() < 1e-8
        gap = quat.angle(quat.multiply(quat.conjugate(out.rotations[at_keys, j]), wanted.rotations[at_keys, j]))
        assert gap.max() < 1e-7
    again = correct(CLIP, RIG, turned_into(replaces, "add", CLIP, RIG))
    if drives == "limb":
        assert np.abs(again.model[1][frames] - wanted.model[1][frames]).max() < 1e-6
    assert turned_into(s, "add", CLIP, RIG) is s


@pytest.mark.parametrize("how", ["add", "replace"])
def test_a_layer_can_be_exaggerated(how: str, deckhand_rig: Rig, deckhand_clips) -> None:
    """Twice a layer is the layer twice as large; one that replaces is at most all there."""
    clip = deckhand_clips["walk"]

    def made(weight: float, degrees: float) -> Clip:
        track = Track("head", (Key(0), Key(8, rotate=(0.0, degrees, 0.0)), Key(16)))
        step = msgspec.structs.replace(make("correction", how=how, tracks=(track,)), weight=weight)
        return apply(step, clip, deckhand_rig)

    assert np.allclose(made(2.0, 10.0).rotations, made(1.0, 20.0 if how == "add" else 10.0).rotations, atol=1e-12)
    plain = to_plain(make("correction")) | {"weight": 1.5}
    assert from_plain(plain).weight == 1.5
    with pytest.raises(RecipeError, match="0 to 1"):
        from_plain(to_plain(make("mirror")) | {"weight": 1.5})
    with pytest.raises(RecipeError, match="0 to 2"):
        from_plain(plain | {"weight": 2.5})

"""Corrections that move a limb or the body: goals met, ends kept, everything else bit for bit as it was."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.limbs import hinges, made_to_bend
from reflexa.steps import Given
from reflexa.steps.correction import CorrectionSettings, aim_point, correct, set_key, usual_drive
from reflexa.steps.correction.step import corrected
from tests.helpers import rigs


@pytest.fixture(scope="module", params=range(4))
def made(request) -> tuple[Rig, Clip]:
    """A rig and a gentle clip: limbs well bent, so that goals near them are in reach."""
    rig = rigs.rig(request.param, request.param, extras=request.param % 2 == 1)
    clip = rigs.clip(rig, request.param, frames=60)
    rest = np.broadcast_to(rig.skeleton.rest_rotations, clip.rotations.shape)
    soft = quat.slerp(rest, clip.rotations, np.full(clip.rotations.shape[:2], 0.5))
    return rig, clip.with_motion(quat.continuous(soft), clip.translations)


def pulled(rig: Rig, end: str, frame: int = 30, **values: object) -> CorrectionSettings:
    joint = rig.skeleton.names[rig.joint(end)]
    drives, stay = usual_drive(rig, joint)
    more = {"drives": drives, "stay": stay, "space": "world", **values}
    return set_key(CorrectionSettings(falloff=8), joint, frame, 59, **more)


def degrees(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.degrees(quat.angle(quat.multiply(quat.conjugate(a), b)))


@pytest.mark.parametrize("end", ["left hand", "right foot"])
def test_a_limb_goes_there_keeps_its_end_turned_and_its_side(made, end: str) -> None:
    """Within 0.1 mm and 0.1 degrees (the issue's bound), and the knee or elbow bends the way it did."""
    rig, clip = made
    a, b, c = rig.limb(end)
    root, e = clip.model[1][30, a], clip.model[1][30, c]
    pull = 0.15 * (root - e)  # towards the body: in reach
    out = correct(clip, rig, pulled(rig, end, move=tuple(pull)))
    assert np.abs(out.model[1][30, c] - (e + pull)).max() < 1e-4
    assert degrees(out.model[0][30, c], clip.model[0][30, c]) < 0.1

    p = out.model[1][30]
    bend = quat.rotate(quat.conjugate(out.model[0][30, a]), np.cross(p[b] - p[a], p[c] - p[b]))
    assert bend @ hinges(clip, rig, end)[30] > 0
    for x, y in ((a, b), (b, c)):
        assert np.linalg.norm(out.model[1][30, y] - out.model[1][30, x]) == pytest.approx(
            np.linalg.norm(clip.model[1][30, y] - clip.model[1][30, x])
        )


def test_only_the_limb_changes_and_only_within_the_reach(made) -> None:
    rig, clip = made
    out = correct(clip, rig, pulled(rig, "left hand", move=(0.0, 0.05, -0.03)))
    limb = list(rig.limb("left hand"))
    others = [j for j in range(len(rig.skeleton)) if j not in limb]
    assert np.array_equal(out.rotations[:, others], clip.rotations[:, others])
    assert np.array_equal(out.translations, clip.translations)
    outside = [f for f in range(60) if not 22 < f < 38]
    assert np.array_equal(out.rotations[outside], clip.rotations[outside]), "neutral keys: bit for bit"
    assert not np.array_equal(out.rotations[30], clip.rotations[30])


def test_the_elbow_swings_and_both_ends_stay(made) -> None:
    rig, clip = made
    a, b, c = rig.limb("right hand")
    out = correct(clip, rig, pulled(rig, "right hand", swing=40.0))
    p, q = clip.model[1][30], out.model[1][30]
    assert np.abs(q[[a, c]] - p[[a, c]]).max() < 1e-9 and degrees(out.model[0][30, c], clip.model[0][30, c]) < 1e-4
    line = (p[c] - p[a]) / np.linalg.norm(p[c] - p[a])
    before, after = ((v[b] - v[a]) - ((v[b] - v[a]) @ line) * line for v in (p, q))
    angle = np.degrees(np.arctan2(np.cross(before, after) @ line, before @ after))
    assert angle == pytest.approx(40, abs=1e-3)


def test_the_end_turns_in_its_own_axes_too(made) -> None:
    rig, clip = made
    c = rig.joint("left hand")
    out = correct(clip, rig, pulled(rig, "left hand", rotate=(0.0, 30.0, 0.0), space="own"))
    turn = quat.multiply(quat.conjugate(clip.model[0][30, c]), out.model[0][30, c])
    assert np.degrees(quat.to_rotvec(turn)) == pytest.approx([0, 30, 0], abs=1e-4)
    assert np.abs(out.model[1][30, c] - clip.model[1][30, c]).max() < 1e-6


def overstretched(rig: Rig, clip: Clip, part: str, frame: int = 30) -> bool:
    """Is a limb bent against the way it is made to bend?"""
    turned, placed = (x[frame] for x in clip.model)
    a, b, c = rig.limb(part)
    axis = quat.rotate(turned[a], made_to_bend(rig, part))
    return bool(np.cross(placed[b] - placed[a], placed[c] - placed[b]) @ axis < 0)


@pytest.mark.parametrize("stay", [("feet",), ("feet", "hands"), ()])
def test_the_body_moves_over_what_stays(made, stay) -> None:
    """Soles within 0.1 mm (the issue's bound), turned as they were."""
    rig, clip = made
    joint = rig.skeleton.names[rig.joint("pelvis")]
    leg = np.linalg.norm(clip.model[1][30, rig.joint("left foot")] - clip.model[1][30, rig.joint("left thigh")])
    down = (0.0, -0.06 * leg, 0.0)
    settings = set_key(CorrectionSettings(falloff=8), joint, 30, 59, move=down, rotate=(0.0, 4.0, 0.0), space="world",
                       drives="body", stay=stay)  # fmt: skip
    out = correct(clip, rig, settings)
    p = rig.joint("pelvis")
    assert np.abs(out.model[1][30, p] - (clip.model[1][30, p] + down)).max() < 1e-9
    turn = quat.multiply(out.model[0][30, p], quat.conjugate(clip.model[0][30, p]))
    assert np.degrees(quat.to_rotvec(turn)) == pytest.approx([0, 4, 0], abs=1e-4)
    kept = {"feet": ("left foot", "right foot"), "hands": ("left hand", "right hand")}
    for ends, parts in kept.items():
        for part in parts:
            a, _, e = rig.limb(part)
            gap = np.linalg.norm(out.model[1][30, e] - clip.model[1][30, e])
            length = sum(np.linalg.norm(rig.skeleton.rest_translations[j]) for j in rig.limb(part)[1:])
            in_reach = np.linalg.norm(clip.model[1][30, e] - out.model[1][30, a]) < 0.999 * length
            in_reach &= not overstretched(rig, clip, part)  # such a limb comes through to its own side first
            if ends not in stay:
                assert gap > 1e-4
            elif in_reach:
                assert gap < 1e-4 and degrees(out.model[0][30, e], clip.model[0][30, e]) < 1e-4
    spine = rig.skeleton.index["chest"]
    assert np.array_equal(out.rotations[:, spine], clip.rotations[:, spine])


def test_a_rig_without_the_limb_passes_the_track_over(made) -> None:
    rig, clip = made
    settings = pulled(rig, "left hand", move=(0.0, 0.1, 0.0))
    (track,) = settings.tracks
    alone = msgspec.structs.replace(settings, tracks=(msgspec.structs.replace(track, joint="head"),))
    assert np.array_equal(correct(clip, rig, alone).rotations, clip.rotations)


def test_weight_and_single_frames_agree_with_the_whole(made) -> None:
    """A pose computed while a hand drags is the pose that the clip then has."""
    rig, clip = made
    settings = pulled(rig, "left foot", move=(0.03, 0.04, 0.0))
    whole = correct(clip, rig, settings)
    one = corrected(Given(clip.cut(27, 27), rig, 27, whole=clip), settings).clip
    assert np.abs(one.rotations[0] - whole.rotations[27]).max() < 1e-3
    assert np.abs(one.model[1][0, rig.joint("left foot")] - whole.model[1][27, rig.joint("left foot")]).max() < 1e-6


def test_what_is_saved_is_short_and_comes_back() -> None:
    settings = set_key(CorrectionSettings(), "hand_l", 10, 59, move=(0.0, 0.1, 0.0), drives="limb", space="world")
    plain = msgspec.to_builtins(settings)
    assert plain["tracks"][0]["drives"] == "limb" and {"frame": 22} in plain["tracks"][0]["keys"], (
        "a neutral key is a frame"
    )
    assert msgspec.convert(plain, CorrectionSettings) == settings
    key = {"frame": 1, "rotate": [1, 0, 0], "move": [0, 0, 0], "then": "hold"}
    old = {"tracks": [{"joint": "a", "keys": [key], "space": "own"}]}
    assert msgspec.convert(old, CorrectionSettings).tracks[0].drives == "joint"


@pytest.mark.parametrize("move", [(0.3, 0.0, 0.0), (0.1, -0.25, 0.05)])
def test_a_head_looks_at_the_point_that_was_moved_and_its_neck_goes_along(made, move) -> None:
    rig, clip = made
    head = rig.joint("head")
    settings = set_key(
        CorrectionSettings(falloff=8), rig.skeleton.names[head], 30, 59, drives="aim", space="world", move=move
    )
    out = correct(clip, rig, settings)
    goal = aim_point(rig, clip.model[0][30, head], clip.model[1][30, head]) + move
    way = goal - out.model[1][30, head]
    ahead = quat.rotate(out.model[0][30, head], rig.looking)
    assert np.degrees(np.arccos(min(1.0, ahead @ way / np.linalg.norm(way)))) < 0.01
    neck = [rig.skeleton.index[n] for n in rig.body_map.get("neck", ())]
    assert not neck or degrees(out.rotations[30, neck[0]], clip.rotations[30, neck[0]]) > 0.5
    others = [j for j in range(len(rig.skeleton)) if j not in rig.skeleton.below(neck[0] if neck else head)]
    assert np.array_equal(out.rotations[:, others], clip.rotations[:, others])
    assert np.array_equal(out.rotations[:22], clip.rotations[:22]), "nothing outside the reach"

"""What holds of contacts, limbs and loops on any clip: laws by mirror, reversal and repetition, and what nobody may see.

Motion from outside: tests/data/SOURCES.md.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import msgspec
import numpy as np
import pytest

from quality import clips, laws, made
from quality.figure import Figure
from quality.operations import run
from quality.whole import seam_of
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.travel import headings
from reflexa.rig.foot_rest import as_it_stands, stand_of
from reflexa.rig.limbs import limb_of, made_to_bend
from reflexa.rig.palms import palms
from reflexa.rig.soles import soles
from reflexa.stage.footing import footing
from reflexa.steps import make
from reflexa.steps.correction import CorrectionSettings, set_key, usual_drive
from tests.helpers.files import DATA

CAPTURED = ("humanoid3d_walk", "humanoid3d_run", "boxing_cut")
RIGS = clips.demo_rigs()


@cache
def figure(name: str) -> Figure:
    d = read(DATA / f"{name}.bvh")
    return Figure(d.clips[0], d.rig)


@cache
def made_one(name: str) -> Figure:
    deckhand = RIGS["deckhand"]
    clip = {"crawl": made.crawl, "cartwheel": made.cartwheel}[name](deckhand.rig.skeleton)
    return Figure(clip, deckhand.rig)


def planted(f: Figure) -> Figure:
    return run(make("foot-lock"), f)


def mirrored(f: Figure) -> Figure:
    return run(make("mirror", plane="world"), f)


def reversed_(f: Figure) -> Figure:
    return run(make("reverse"), f)


def onto(to: str, f: Figure, **settings: object) -> Figure:
    return run(make("retarget", rig=to, **settings), f, rigs={to: RIGS[to].rig})  # type: ignore[arg-type]


def bends(f: Figure, side: str) -> np.ndarray:
    """By how much a knee is bent, degrees ``(frames,)``; negative: beyond straight."""
    l = limb_of(f.rig, f"{side} foot")
    assert l is not None
    turned, placed = f.clip.model
    a, b = placed[:, l.middle] - placed[:, l.root], placed[:, l.end] - placed[:, l.middle]
    across = np.cross(a, b)
    way = np.sign(np.sum(across * quat.rotate(turned[:, l.root], made_to_bend(f.rig, f"{side} foot")), axis=1))
    return way * np.degrees(np.arctan2(np.linalg.norm(across, axis=1), np.sum(a * b, axis=1)))


@pytest.mark.parametrize("name", CAPTURED)
def test_planting_and_mirroring_are_the_same_in_either_order(name: str) -> None:
    assert not [m for m in laws.commutes("mirror", figure(name), planted, mirrored) if m.out]


@pytest.mark.parametrize("name", ["humanoid3d_walk", "humanoid3d_run", "boxing_cut", "01_01_cut"])
def test_planted_twice_is_planted_once(name: str) -> None:
    once = planted(figure(name))
    assert not [m for m in laws.apart("twice", once, planted(once)) if m.out]


@pytest.mark.parametrize("to", ["deckhand", "ferrykeeper"])
@pytest.mark.parametrize("name", ["humanoid3d_walk", "humanoid3d_run"])
def test_a_clip_backwards_goes_onto_a_rig_as_it_does_forwards(name: str, to: str) -> None:
    found = laws.commutes("reverse", figure(name), lambda f: onto(to, f), reversed_)
    found += laws.commutes("mirror", figure(name), lambda f: onto(to, f), mirrored) if to == "deckhand" else []
    assert not [m for m in found if m.out]


@pytest.mark.parametrize("name", CAPTURED)
def test_a_standing_foot_keeps_the_turns_that_it_has(name: str) -> None:
    before = figure(name)
    after = planted(before)
    for side, f in footing(before.clip, before.rig).items():
        j = before.joint(f"{side} foot")
        change = quat.multiply(after.clip.model[0][:, j], quat.conjugate(before.clip.model[0][:, j]))
        yaw = (np.degrees(2 * np.arctan2(change[:, 1], change[:, 3])) + 180) % 360 - 180
        assert np.abs(yaw[f.stands]).max() < 8.0


def swivelling() -> Figure:
    """The Deckhand turning by 150° on the balls of both feet, which stay where they are."""
    rig = RIGS["deckhand"].rig
    first = RIGS["deckhand"].clip.cut(0, 0)
    n = 90
    rest = rig.skeleton.rest_rotations, rig.skeleton.rest_translations
    rotations, translations = (np.tile(a, (n, 1, 1)) for a in rest)
    still = replace(first, rotations=rotations, translations=translations, loop=False, events=(), tracks=())
    rotations = np.array(still.rotations)
    turn = np.radians(150) * 0.5 * (1 - np.cos(np.pi * np.clip((np.arange(n) - 15) / 60, 0, 1)))
    rotations[:, rig.joint("pelvis")] = quat.multiply(quat.about(1, turn), rotations[:, rig.joint("pelvis")])
    return Figure(still.with_motion(quat.continuous(rotations), still.translations), rig)


def test_a_foot_that_swivels_goes_on_swivelling() -> None:
    before = swivelling()
    after = planted(before)
    for side in ("left", "right"):
        j = before.joint(f"{side} foot")
        change = quat.multiply(after.clip.model[0][:, j], quat.conjugate(before.clip.model[0][:, j]))
        assert np.degrees(quat.angle(change)).max() < 10.0, "held in one turn it would be off by 75°"


@pytest.mark.parametrize("name", ["humanoid3d_walk", "humanoid3d_run", "01_01_cut", "boxing_cut"])
def test_no_skin_is_under_the_floor_after_a_retarget_and_plants(name: str) -> None:
    on_rig = onto("deckhand", figure(name))
    after = planted(on_rig)
    stands = footing(after.clip, after.rig)
    for side, sole in soles(after.rig).items():
        low = sole.lowest(*after.clip.model)
        assert low[stands[side].stands].min() > -1e-3
        assert sole.lowest(*on_rig.clip.model)[2:].min() > -0.0125, "but for a rest pose at the head"


@pytest.mark.parametrize("name", ["crawl", "cartwheel"])
def test_hands_that_bear_lie_on_the_floor_by_their_skin(name: str) -> None:
    after = onto("ferrykeeper", made_one(name))
    turned, placed = after.clip.model
    low = np.array([placed[:, p.joint, 1] - p.lowest(turned[:, p.joint]) for p in palms(after.rig).values()])
    raw = onto("ferrykeeper", made_one(name), feet=False)
    turned, placed = raw.clip.model
    was = np.array([placed[:, p.joint, 1] - p.lowest(turned[:, p.joint]) for p in palms(raw.rig).values()])
    assert low.min() > -0.08 and low.min() > was.min() / 2, (low.min(), was.min())
    if name == "crawl":
        assert low.min() > -0.025 and low.min(axis=1).max() < 0.025, "they are on it, both"


def straightened(f: Figure, seed: int = 3) -> Figure:
    """A capture with all but straight legs: its knees bent by a tenth of what they are, and the noise of markers."""
    q = np.array(f.clip.rotations)
    rng = np.random.default_rng(seed)
    for side in ("left", "right"):
        j = f.joint(f"{side} shin")
        rest = np.broadcast_to(f.rig.skeleton.rest_rotations[j], q[:, j].shape)
        noise = quat.from_rotvec(np.radians(rng.normal(0, 1.5, (len(q), 3))))
        q[:, j] = quat.multiply(quat.slerp(rest, q[:, j], np.full(len(q), 0.1)), noise)
    return Figure(f.clip.with_motion(quat.continuous(q), f.clip.translations), f.rig)


@pytest.mark.parametrize("to", ["deckhand", "ferrykeeper", ""])
def test_knees_that_are_all_but_straight_never_bend_backwards(to: str) -> None:
    source = straightened(figure("humanoid3d_walk"))
    after = onto(to, source) if to else planted(source)
    for side in ("left", "right"):
        assert bends(source, side).min() > -8.0
        assert bends(after, side).min() > min(bends(source, side).min(), -3.0) - 3.0


def test_how_a_foot_stands_is_the_same_whatever_part_of_a_clip_a_file_holds() -> None:
    whole = figure("01_01_cut")
    parts = [as_it_stands(whole.rig, [whole.clip.cut(a, b)]) for a, b in ((0, 90), (100, 239))]
    for side in ("left", "right"):
        stands = [stand_of(r, side) for r in parts]
        assert stands[0] == stands[1] == stand_of(whole.rig, side)


def test_feet_that_hang_in_rest_stand_as_feet_do() -> None:
    """Both sides alike, by reflection; ankle and ball as high as Drillis & Contini's proportions have them, about."""
    f = figure("humanoid3d_walk")
    s = f.rig.skeleton
    q = np.array(s.rest_rotations)
    for side in ("left", "right"):
        j = f.joint(f"{side} foot")
        parent = s.rest_model[0][int(s.parents[j])]
        down = quat.from_rotvec(np.radians(60) * np.cross([0.0, 1.0, 0.0], f.rig.facing))
        q[j] = quat.multiply(quat.multiply(quat.conjugate(parent), quat.multiply(down, parent)), q[j])
    hanging = replace(f.rig, skeleton=type(s)(s.names, s.parents, q, s.rest_translations))
    ups = [np.array(stand_of(hanging, side).up) for side in ("left", "right")]
    assert np.degrees(np.arccos(ups[0] @ ups[1])) < 1.0
    flat = np.array(stand_of(f.rig, "left").up)
    assert np.degrees(np.arccos(flat @ ups[0])) < 25.0, "as the same foot stands that does not hang"


@pytest.mark.parametrize("to", ["deckhand", "ferrykeeper", "heron"])
@pytest.mark.parametrize("root", ["under the pelvis", "pelvis, turning"])
def test_a_loop_that_turns_stays_a_loop_on_another_rig(root: str, to: str) -> None:
    loop = run(make("close-loop"), figure("boxing_cut"))
    mm, degrees, _ = seam_of(onto(to, loop, root=root))
    assert mm < 0.5 and degrees < 0.1


@pytest.mark.parametrize("find", [False, True])
@pytest.mark.parametrize("name", ["humanoid3d_walk", "boxing_cut", "01_01_cut"])
def test_a_closed_loop_is_closed_also_where_its_feet_were_held(name: str, find: bool) -> None:
    before = figure(name)
    after = run(make("close-loop", find=find), before)
    mm, degrees, speed = seam_of(after)
    assert mm < 0.1 and degrees < 0.01 and speed < 1.0
    moved = np.linalg.norm(np.diff(after.clip.model[1], axis=0), axis=-1).mean()
    assert moved > 0.3 * np.linalg.norm(np.diff(before.clip.model[1], axis=0), axis=-1).mean(), "no pause is a loop"


def test_a_body_that_flips_and_rolls_keeps_its_heading() -> None:
    """Once round about each level axis, and a turn of 90° before: the heading is what was turned about the vertical."""
    t = np.linspace(0, 1, 61)
    for axis in (0, 2):
        flip = quat.multiply(quat.about(1, np.full(61, np.pi / 2)), quat.about(axis, 2 * np.pi * t))
        heading = headings(flip, np.array([0.0, 0.0, 1.0]), np.array([0.0, 1.0, 0.0]))
        assert np.ptp(np.degrees(heading)) < 1.0 and np.degrees(heading[0]) == pytest.approx(90)


def still_for(clip: Clip, frames: int) -> Clip:
    """The first pose of a clip for so many frames."""
    rotations, translations = (np.tile(a[:1], (frames, 1, 1)) for a in (clip.rotations, clip.translations))
    return replace(clip, rotations=rotations, translations=translations, loop=False, events=(), tracks=())


def test_a_hand_led_past_the_far_side_of_its_shoulder_does_not_flip() -> None:
    """The goal goes past where the arm points away from it altogether; a least turn found anew in each frame would flip there."""
    rig, clip = RIGS["deckhand"].rig, RIGS["deckhand"].clip
    still = still_for(clip, 60)
    joints = rig.limb("right hand")
    assert joints is not None
    root, hand = still.model[1][0, joints[0]], still.model[1][0, joints[2]]
    arm = hand - root
    away = -0.8 * arm
    aside = np.cross(arm, [0.0, 0.0, 1.0])
    aside = aside / np.linalg.norm(aside)
    keys = [{"frame": f, "place": (root + away + aside * (0.25 - 0.5 * f / 59)).tolist()} for f in range(0, 60, 1)]
    after = run(make("reach", limb="right hand", to="keyed", keys=keys, meets="joint"), Figure(still, rig))
    turned = after.clip.model[0][:, joints[0]]
    step = np.degrees(quat.angle(quat.multiply(turned[1:], quat.conjugate(turned[:-1]))))
    assert step.max() < 25.0


@pytest.mark.parametrize("frame", [0, 1, 32])
@pytest.mark.parametrize("part", ["spine", "left hand", "pelvis"])
def test_a_key_at_the_seam_of_a_loop_leaves_it_a_loop(part: str, frame: int) -> None:
    f = RIGS["deckhand"]
    joint = f.clip.skeleton.names[f.joint(part)]
    drives, stay = usual_drive(f.rig, joint)
    change = {"rotate": (20.0, 0.0, 0.0)} if part == "spine" else {"move": (0.0, 0.06, 0.05)}
    settings = set_key(CorrectionSettings(falloff=8), joint, frame, 32, drives=drives, stay=stay, space="own", **change)
    after = run(msgspec.structs.replace(make("correction"), settings=settings), f)
    mm, degrees, _ = seam_of(after)
    assert f.clip.loop and after.clip.loop and mm < 0.5 and degrees < 0.1
    assert np.abs(after.clip.rotations - f.clip.rotations).max() > 1e-3

"""Retarget: what must hold between any two rigs, and the shared clips on rigs that are nothing like theirs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from quality import clips
from reflexa.checks import CHECKS, Subject
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse, bodies
from reflexa.rig.match import match, rename_map
from reflexa.rig.notes import notes_of, set_fit, with_notes
from reflexa.steps.rename import RenameSettings, rename
from reflexa.steps.retarget import RetargetSettings, measure, retarget
from reflexa.steps.retarget.step import run
from reflexa.steps.retarget.transfer import moved_joints
from tests.helpers import rigs
from tests.helpers.files import DATA


def onto(clip: Clip, source: Rig, target: Rig, **settings: object) -> Clip:
    return retarget(clip, source, RetargetSettings(**settings), {"target": target})[0]


def degrees_apart(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.degrees(quat.angle(quat.multiply(quat.conjugate(a), b)))


def along(clip: Clip, rig: Rig, part: str, to: str) -> np.ndarray:
    """Unit direction of a segment, ``(frames, 3)``."""
    v = clip.model[1][:, rig.joint(to)] - clip.model[1][:, rig.joint(part)]
    return v / np.linalg.norm(v, axis=-1, keepdims=True)


def apart(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=-1), np.sum(a * b, axis=-1)))


@pytest.mark.parametrize("hands", ["free", "keep place", "keep distance"])
@pytest.mark.parametrize("seed", range(5))
def test_the_same_rig_keeps_the_motion(seed: int, hands: str) -> None:
    rig = rigs.rig(seed, seed, extras=seed % 2 == 1)
    clip = rigs.clip(rig, seed)
    out = onto(clip, rig, rig, hands=hands, helpers=False)
    assert np.abs(out.model[1] - clip.model[1]).max() < 1e-6
    assert out.events == clip.events and out.rate == clip.rate


@pytest.mark.parametrize("factor", [0.01, 0.6, 3.0])
@pytest.mark.parametrize("seed", range(3))
def test_a_scaled_rig_gets_the_scaled_motion(seed: int, factor: float) -> None:
    rig = rigs.rig(seed, seed)
    large = rigs.rig(seed, seed, scale=factor)
    clip = rigs.clip(rig, seed)
    out = onto(clip, rig, large, hands="keep place")
    assert np.abs(out.model[1] - factor * clip.model[1]).max() < 1e-6 * max(1.0, factor)


@pytest.mark.parametrize("seed", range(5))
def test_there_and_back_over_other_axes_names_order_and_rest_pose(seed: int) -> None:
    """Within 0.5 degrees for every mapped joint, also when arms hang 45 degrees lower in the other rest pose."""
    a = rigs.rig(seed, seed, proportions=1)
    b = rigs.rig(seed + 50, seed + 2, proportions=9, arms_down=45.0)
    clip = rigs.clip(a, seed)
    back = onto(onto(clip, a, b, feet=False, relations=False), b, a, feet=False, relations=False)
    mapped = match(a, b).below
    assert degrees_apart(clip.model[0][:, mapped], back.model[0][:, mapped]).max() < 0.5
    same_size = rigs.rig(seed + 50, seed + 2, proportions=1, arms_down=45.0)
    back = onto(onto(clip, a, same_size, relations=False), same_size, a, relations=False)
    assert degrees_apart(clip.model[0][:, mapped], back.model[0][:, mapped]).max() < 0.5


@pytest.mark.parametrize("seed", range(5))
def test_limbs_point_as_in_the_source_and_no_bone_changes_its_length(seed: int) -> None:
    a, b = rigs.rig(seed, seed), rigs.rig(seed + 9, seed + 1, arms_down=50.0, spine=4, extras=True)
    clip = rigs.clip(a, seed)
    free = onto(clip, a, b, feet=False, relations=False)
    for part, to in (("upper arm", "forearm"), ("forearm", "hand"), ("thigh", "shin"), ("shin", "foot")):
        for side in ("left", "right"):
            x, y = (along(c, r, f"{side} {part}", f"{side} {to}") for c, r in ((clip, a), (free, b)))
            assert apart(x, y).max() < 1e-4
    out = onto(clip, a, b, hands="keep distance")
    moving = {b.joint("root"), b.joint("pelvis")} | {b.skeleton.index[h] for h in b.helpers}
    fixed = [j for j in range(len(b.skeleton)) if j not in moving]
    assert np.array_equal(out.translations[:, fixed], np.tile(b.skeleton.rest_translations[fixed], (clip.frames, 1, 1)))


def test_a_rig_that_faces_elsewhere_is_turned() -> None:
    """The target looks along -X: everything happens as if the source were seen turned by -90 degrees about up."""
    a = rigs.rig(3)
    turn = Rotation.from_euler("y", -90, degrees=True)
    s = a.skeleton
    q, t = np.array(s.rest_rotations), np.array(s.rest_translations)
    q[0], t[0] = (turn * Rotation.from_quat(q[0])).as_quat(), turn.apply(t[0])
    b = analyse(Skeleton(s.names, s.parents, q, t))
    assert np.allclose(b.facing, [-1, 0, 0])
    clip = rigs.clip(a, 3)
    assert (
        np.abs(onto(clip, a, b).model[1] - turn.apply(np.array(clip.model[1]).reshape(-1, 3)).reshape(7, -1, 3)).max()
        < 1e-6
    )


@pytest.mark.parametrize(("few", "many"), [(1, 3), (2, 5), (3, 4)])
def test_spines_of_other_counts_end_turned_alike(few: int, many: int) -> None:
    a, b = rigs.rig(1, spine=few), rigs.rig(2, 1, spine=many)
    clip = rigs.clip(a, 4)
    out = onto(clip, a, b)

    def turned(c: Clip, r: Rig, name: str) -> np.ndarray:
        j = r.skeleton.index[name]
        return quat.multiply(c.model[0][:, j], quat.conjugate(r.skeleton.rest_model[0][j]))

    assert degrees_apart(turned(clip, a, "chest"), turned(out, b, "chest")).max() < 1e-5
    # On the way up no joint turns further from the pelvis than the whole spine does between its knots.
    chain = b.body_map["spine"]
    steps = [degrees_apart(turned(out, b, x), turned(out, b, y)) for x, y in zip(("hips", *chain), chain, strict=False)]
    assert np.all(np.max(steps, axis=0) < 180)


def test_twist_joints_share_the_twist_of_the_hand() -> None:
    """A hand turned by 80 degrees about the forearm turns a twist joint half way along it by 40 (worked by hand)."""
    a, b = rigs.rig(5, proportions=1), rigs.rig(6, 1, proportions=1, extras=True)
    rest = rigs.clip(a, 0, frames=1)
    q = np.tile(a.skeleton.rest_rotations, (1, 1, 1))
    hand, arm = a.joint("left hand"), a.joint("left forearm")
    bone = a.skeleton.rest_model[1][hand] - a.skeleton.rest_model[1][arm]
    turn = quat.from_rotvec(np.radians(80) * bone / np.linalg.norm(bone))
    above = a.skeleton.rest_model[0][arm]
    q[0, hand] = quat.multiply(quat.conjugate(above), quat.multiply(turn, a.skeleton.rest_model[0][hand]))
    out = onto(rest.with_motion(q, a.skeleton.rest_translations[None]), a, b)
    twist = next(
        j for n, j in b.skeleton.index.items() if "twist" in n.lower() and b.twists[n] == b.body_map["left forearm"][0]
    )
    change = quat.multiply(out.model[0][0, twist], quat.conjugate(b.skeleton.rest_model[0][twist]))
    assert np.degrees(quat.angle(change)) == pytest.approx(40, abs=0.01)
    fore = b.joint("left forearm")
    assert degrees_apart(out.model[0][0, fore], b.skeleton.rest_model[0][fore]) < 1e-4


def test_a_persons_fit_turns_the_aligned_rest_and_all_below() -> None:
    a, b = rigs.rig(1), rigs.rig(2, 1)
    arm = b.body_map["left upper arm"][0]
    fitted, _ = with_notes(b, set_fit(notes_of(b), a.key, arm, (0.0, 0.0, 12.0)))
    before, after = match(a, b).aligned_rest[0], match(a, fitted).aligned_rest[0]
    below = b.skeleton.below(b.skeleton.index[arm])
    change = quat.multiply(after[below], quat.conjugate(before[below]))
    assert np.abs(np.degrees(quat.to_rotvec(change)) - [0, 0, 12]).max() < 1e-6
    others = [j for j in range(len(b.skeleton)) if j not in below]
    assert np.array_equal(before[others], after[others])
    assert np.array_equal(match(rigs.rig(8, 3), fitted).aligned, match(rigs.rig(8, 3), b).aligned), "only for its pair"


def test_helper_joints_and_root_of_the_target_are_filled() -> None:
    a, b = rigs.rig(1), rigs.rig(2, 1, extras=True)
    clip = rigs.clip(a, 3)
    out = onto(clip, a, b)
    for name, rule in b.helpers.items():
        away = out.model[1][:, b.skeleton.index[name]] - out.model[1][:, b.skeleton.index[rule.follows]]
        assert np.abs(away).max() < 1e-9
    root, pelvis = (out.model[1][:, b.joint(p)] for p in ("root", "pelvis"))
    offset = (b.skeleton.rest_model[1][b.joint("root")] - b.skeleton.rest_model[1][b.joint("pelvis")])[[0, 2]]
    assert np.allclose((root - pelvis)[:, [0, 2]], offset) and np.abs(root[:, 1]).max() < 1e-9
    still = onto(clip, a, b, root="stays")
    assert np.abs(still.model[1][:, b.joint("root")]).max() < 1e-9
    assert np.abs(still.model[1][:, b.joint("left hand")] - out.model[1][:, b.joint("left hand")]).max() < 1e-6
    turning = onto(clip, a, b, root="pelvis, turning").model[0][:, b.joint("root")]
    assert degrees_apart(turning, b.skeleton.rest_model[0][b.joint("root")]).max() > 10


def test_hands_keep_their_distance() -> None:
    a, b = rigs.rig(1), rigs.rig(2, 1)
    clip = rigs.clip(a, 3)
    # Small turns only: both hands in reach of each other.
    clip = clip.with_motion(
        quat.slerp(a.skeleton.rest_rotations, clip.rotations, np.full(clip.rotations.shape[:2], 0.25)),
        clip.translations,
    )
    out = onto(clip, a, b, hands="keep distance")
    m = match(a, b)

    def between(c: Clip, r: Rig) -> np.ndarray:
        return c.model[1][:, r.joint("left hand")] - c.model[1][:, r.joint("right hand")]

    short = run(clip, a, b, RetargetSettings(hands="keep distance"))[3].short
    reached = np.max([short["left hand"], short["right hand"]], axis=0) < 1e-9
    assert reached.any()
    assert np.abs(between(out, b) - between(clip, a) * m.scale)[reached].max() < 1e-6


# The shared clips ---------------------------------------------------------------------------------------------


def shared(name: str):
    document = read(DATA / name)
    return document.clips[0], document.rig


def test_the_shared_walk_goes_onto_the_31_joint_figure_and_back() -> None:
    """Each limb segment that both figures have points the same way within 1 degree, there and back (issue's bound)."""
    walk, small = shared("humanoid3d_walk.bvh")
    _, figure = shared("01_01_cut.bvh")
    there = onto(walk, small, figure, feet=False, relations=False)
    back = onto(there, figure, small, feet=False, relations=False)
    segments = match(small, figure).segments
    assert {s.part for s in segments} >= {
        f"{side} {p}" for side in ("left", "right") for p in ("upper arm", "thigh", "shin")
    }
    for part, to in (("upper arm", "forearm"), ("thigh", "shin"), ("shin", "foot")):
        for side in ("left", "right"):
            x = along(walk, small, f"{side} {part}", f"{side} {to}")
            assert apart(x, along(there, figure, f"{side} {part}", f"{side} {to}")).max() < 1.0
            assert apart(x, along(back, small, f"{side} {part}", f"{side} {to}")).max() < 1.0
    assert degrees_apart(walk.model[0], back.model[0]).max() < 1.0
    q = measure(walk, small, figure, RetargetSettings())
    assert max(n.most for n in q.before) < 1.0 and len(q.before) >= 8


@pytest.mark.parametrize("name", ["boxing_cut.bvh", "humanoid3d_walk.bvh", "humanoid3d_run.bvh", "01_01_cut.bvh"])
@pytest.mark.parametrize("target", ["deckhand", "boxing_cut.bvh", "01_01_cut.bvh"])
def test_no_foot_slides_more_than_the_scaled_source_and_two_millimetres(name: str, target: str, deckhand_rig) -> None:
    clip, source = shared(name)
    rig = deckhand_rig if target == "deckhand" else shared(target)[1]
    q = measure(clip, source, rig, RetargetSettings())
    assert len(q.slides) == 2
    for s in q.slides:
        assert s.after <= s.source + 2.0 + 0.05, s
    assert all(abs(n.median) < 2.0 for n in q.soles)


def test_knees_and_elbows_never_flip_and_never_pop_at_full_reach(deckhand_rig, deckhand_clips) -> None:
    """Onto longer feet and shorter legs, where the legs run out of length: the knee stays on its side, and its angle
    changes from frame to frame not much faster than the source's does."""
    long = rigs.rig(12, 1, proportions=4)
    for clip in (deckhand_clips["walk"], deckhand_clips["step up"]):
        out = onto(clip, deckhand_rig, long, hands="keep place")
        for parts in (("thigh", "shin", "foot"), ("upper arm", "forearm", "hand")):
            for side in ("left", "right"):
                a, b, c = ((clip, deckhand_rig), (out, long)), [], []
                for track, rig in a:
                    x = along(track, rig, f"{side} {parts[0]}", f"{side} {parts[1]}")
                    y = along(track, rig, f"{side} {parts[1]}", f"{side} {parts[2]}")
                    bend = np.cross(x, y)
                    own = quat.rotate(quat.conjugate(track.model[0][:, rig.joint(f"{side} {parts[0]}")]), bend)
                    b.append(own)
                    c.append(apart(x, y))
                bent = np.linalg.norm(b[1], axis=-1) > 0.1
                mean = b[1][bent].mean(axis=0)
                assert np.all(b[1][bent] @ mean > 0), "the same side throughout"
                assert np.abs(np.diff(c[1])).max() < 3 * np.abs(np.diff(c[0])).max() + 6


# Rename -----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(4))
def test_a_rig_of_the_same_build_gets_an_exact_rename_map(seed: int) -> None:
    a = rigs.rig(seed, 0, extras=True)
    s = a.skeleton
    order = [0]
    rng = np.random.default_rng(seed)
    while len(order) < len(s):
        ready = [j for j in range(len(s)) if j not in order and int(s.parents[j]) in order]
        order.append(int(rng.choice(ready)))
    new = [f"b{i}.{'L' if s.names[j][-1] == 'l' else 'R'}" for i, j in enumerate(order)]
    parents = np.array([order.index(int(s.parents[j])) if s.parents[j] >= 0 else -1 for j in order])
    b = analyse(Skeleton(tuple(new), parents, s.rest_rotations[order], s.rest_translations[order]))
    clip = rigs.clip(a, seed, moving=True)
    assert rename_map(a, b) is not None
    out, rig = rename(clip, a, RenameSettings(), {"b": b})
    assert rig is b and np.array_equal(out.rotations, clip.rotations[:, order])
    assert np.array_equal(out.model[1], clip.model[1][:, order])
    assert rename_map(a, rigs.rig(seed, 0, extras=True, scale=1.1)) is None


def test_names_can_be_given_one_by_one() -> None:
    a = rigs.rig(1)
    out, rig = rename(rigs.clip(a, 1), a, RenameSettings(names={"hand_l": "palm_l", "hand_r": "palm_r"}), {})
    assert "palm_l" in out.skeleton.index and rig.body_map["left hand"] == ("palm_l",)
    for bad in ({"hand_l": "head"}, {"nobody": "x"}):
        with pytest.raises(RecipeError):
            rename(rigs.clip(a, 1), a, RenameSettings(names=bad), {})


# What cannot be done --------------------------------------------------------------------------------------------


def test_rigs_with_nothing_in_common_are_refused_in_words(deckhand_rig) -> None:
    clip, chain = shared("simple_skin.gltf")
    with pytest.raises(RecipeError, match="no pelvis"):
        onto(clip, chain, deckhand_rig)
    with pytest.raises(RecipeError, match="no target rig is chosen"):
        retarget(clip, chain, RetargetSettings(), {})
    with pytest.raises(RecipeError, match="Known: deckhand"):
        retarget(clip, deckhand_rig, RetargetSettings(rig="heron"), {"deckhand": deckhand_rig})


@pytest.mark.parametrize(
    "drop", [("thigh", "shin", "foot", "toes"), ("thigh_r", "shin_r", "foot_r", "toes_r"), ("forearm", "hand", "index")]
)
def test_figures_without_legs_or_with_one_still_move(drop: tuple[str, ...]) -> None:
    whole, part = rigs.rig(1, 1), rigs.rig(2, 0, drop=drop)
    assert np.isfinite(onto(rigs.clip(whole, 1), whole, part).model[1]).all()
    assert np.isfinite(onto(rigs.clip(part, 1), part, whole).model[1]).all()


def test_scaled_rest_poses_come_through(deckhand_rig, deckhand_clips) -> None:
    s = rigs.rig(2, 1).skeleton
    scales = np.ones((len(s), 3))
    scales[3] = [1.5, 1.0, 0.8]
    target = analyse(Skeleton(s.names, s.parents, s.rest_rotations, s.rest_translations, scales))
    out = onto(deckhand_clips["walk"], deckhand_rig, target)
    assert np.array_equal(out.scales[5], scales) and np.isfinite(out.model[1]).all()
    one = deckhand_clips["walk"].cut(3, 3)
    assert onto(one, deckhand_rig, target).frames == 1
    assert onto(replace(one, rate=1.0), deckhand_rig, rigs.rig(1)).rate == 1.0


def test_moves_of_joints_are_carried_over_scaled_and_what_cannot_be_is_named() -> None:
    """A spine that lengthens by 3 cm on one rig does so, scaled, on one with other axes and names; twice it is where it was."""
    a, b = rigs.rig(2, 2), rigs.rig(2, 5, scale=1.4)
    clip = rigs.clip(a, 2, 20)
    spine = a.skeleton.index[a.body_map["spine"][-1]]
    moved = np.array(clip.translations)
    along = a.skeleton.rest_translations[spine]
    moved[:, spine] += np.linspace(0, 0.03, 20)[:, None] * along / np.linalg.norm(along)
    clip = clip.with_motion(clip.rotations, moved)
    out, _ = retarget(clip, a, RetargetSettings(), {"b": b})
    to = b.skeleton.index[b.body_map["spine"][-1]]
    beyond = np.linalg.norm(out.translations[:, to] - b.skeleton.rest_translations[to], axis=-1)
    assert beyond == pytest.approx(1.4 * np.linspace(0, 0.03, 20), abs=1e-6)
    back, _ = retarget(out, b, RetargetSettings(), {"a": a})
    assert np.abs(back.translations[:, spine] - moved[:, spine]).max() < 1e-6
    m = match(a, b)
    alone = rigs.rig(2, 2, extras=True)
    onto = match(alone, b)
    jaw = next(
        j for j, n in enumerate(alone.skeleton.names)
        if alone.skeleton.parents[j] >= 0 and n not in alone.helpers and j not in onto.below and not alone.part_of(n)
    )  # fmt: skip
    other = rigs.clip(alone, 2, 5)
    lifted = np.array(other.translations)
    lifted[:, jaw, 1] += 0.02
    lost = moved_joints(other.with_motion(other.rotations, lifted), onto)[1]
    assert alone.skeleton.names[jaw] in lost and not moved_joints(clip, m)[1]


@pytest.mark.parametrize("target", ["deckhand", "ferrykeeper"])
def test_hands_and_feet_that_bear_weight_are_on_the_floor(target: str) -> None:
    """A crawl and a get-up: hands within 25 mm of the source's height over its floor, scaled, soles never 10 mm under it (the
    design's bounds)."""
    to = clips.demo_rigs()[target].rig
    crawl = dict(clips.made_ones())["made: crawl, odd axes"]
    out, _ = retarget(crawl.clip, crawl.rig, RetargetSettings(), {target: to})
    m = match(crawl.rig, to)
    for side in ("left", "right"):
        a, b = crawl.rig.joint(f"{side} hand"), to.joint(f"{side} hand")
        low = crawl.clip.model[1][:, a, 1] * m.rise
        assert np.abs(out.model[1][:, b, 1] - low)[low < 0.1].max() < 0.025


@pytest.mark.parametrize("relations", [True, False])
def test_arms_of_a_broader_figure_go_round_its_body(relations: bool) -> None:
    """A haul close to the body, onto the broad Ferrykeeper: without it a forearm is 11 cm in the coat; with it arms touch at
    most, nothing else moves, and what is left in it is found."""
    demo = clips.demo_rigs()
    to, of = demo["ferrykeeper"].rig, dict(clips.demo())["deckhand: rope haul"]
    free, _ = retarget(of.clip, of.rig, RetargetSettings(clear=False, relations=False), {"k": to})
    clear, _ = retarget(of.clip, of.rig, RetargetSettings(relations=relations), {"k": to})

    def deepest(clip: Clip) -> float:
        return max(
            float(
                bodies.depths(to, bodies.arm_points(to, s, *clip.model), bodies.arm_thickness(to, s), clip.model)[
                    0
                ].max()
            )
            for s in ("left", "right")
        )

    assert deepest(free) > 0.08 and deepest(clear) < 0.02
    arms = [j for s in ("left", "right") for j in to.skeleton.below(to.joint(f"{s} upper arm"))]
    others = [j for j in range(len(to.skeleton)) if j not in arms and to.skeleton.names[j] not in to.helpers]
    assert np.array_equal(free.rotations[:, others], clear.rotations[:, others])
    check = CHECKS["inside-body"]
    assert [f.kind for f in check.run(Subject(free, to))] == ["inside-body"] and not check.run(Subject(clear, to))
    assert not check.run(Subject(of.clip, of.rig)), "the source's own arms only touch"

"""Sides in names, pairs, body maps, planes and facing."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from reflexa.formats import read
from reflexa.motion import kinematics, quat
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import analyse, sides
from reflexa.rig import notes as edits
from reflexa.rig.notes import Notes, Rule, from_plain, notes_of, rig_of, to_plain, with_notes
from reflexa.rig.problems import problems
from reflexa.steps.mirror import MirrorSettings, mirror
from tests.helpers import rigs
from tests.helpers.files import DATA


@pytest.mark.parametrize(
    ("name", "other"),
    [
        ("hand_l", "hand_r"), ("LeftHand", "RightHand"), ("rig:arm.L", "rig:arm.R"), ("port winch", "starboard winch"),
        ("L_FOOT", "R_FOOT"), ("lfThigh", "rtThigh"), ("LHipJoint", "RHipJoint"), ("lThumb", "rThumb"),
        ("leftarm", "rightarm"), ("ArmLeft1", "ArmRight1"),
    ],
)  # fmt: skip
def test_names_swap_sides_both_ways(name: str, other: str) -> None:
    assert other in sides.swaps(name) and name in sides.swaps(other)


def test_words_that_only_look_like_sides_stay() -> None:
    assert sides.side("pelvis") == "" and sides.side("clavicle") == "" and sides.side("L_hand") == "left"
    assert sides.swap_in_text("step_left") == "step_right" and sides.swap_in_text("land_L hard") == "land_R hard"
    assert sides.swap_in_text("lantern") == "lantern" and sides.swap_in_text("Port bow") == "Starboard bow"


@pytest.mark.parametrize("style", range(len(rigs.STYLES)))
def test_every_naming_style_pairs_completely(style: int) -> None:
    rig = rigs.rig(style, style)
    assert len(rig.pairs) == 9 and not rig.unpaired and set(rig.centre) >= {"hips", "spine", "head", "tail"}
    assert all(p.found_by == "names" and p.residual_mm < 1e-6 and p.residual_deg < 1e-4 for p in rig.pairs)
    assert np.allclose(rig.facing, [0, 0, 1]) and np.allclose(rig.plane.normal, [1, 0, 0])
    assert rig.body_map["left forearm"][0].lower().strip(":").find("forearm") >= 0
    assert rig.body_map["pelvis"] == ("hips",) and rig.body_map["spine"] == ("spine", "chest")


def test_geometry_pairs_what_names_do_not() -> None:
    named = rigs.rig(3)
    s = named.skeleton
    silent = Skeleton(tuple(f"bone {i}" for i in range(len(s))), s.parents, s.rest_rotations, s.rest_translations)
    rig = analyse(silent)
    assert not rig.unpaired and len(rig.pairs) == 9 and {p.found_by for p in rig.pairs} == {"geometry"}
    assert np.array_equal(rig.partner, named.partner)


def test_what_has_no_partner_is_named() -> None:
    rig = rigs.rig(4, drop=("hand_r", "index_1_r"))
    assert set(rig.unpaired) == {"hand_l", "index_1_l"}
    assert rig.side_of[rig.skeleton.index["hand_l"]] == "none"


def test_an_uneven_rig_tells_its_residuals() -> None:
    rig = rigs.rig(5, uneven=0.01)
    assert all(p.residual_mm > 0.5 for p in rig.pairs) and max(p.residual_deg for p in rig.pairs) > 0.5


def test_the_shared_figures_are_known() -> None:
    walk = read(DATA / "humanoid3d_walk.bvh")
    assert walk.frame.facing == "+X" and len(walk.rig.pairs) == 5 and walk.rig.centre == ("root", "chest", "neck")
    assert np.allclose(walk.rig.facing, [0, 0, 1]), "turned to face +Z"
    cmu = read(DATA / "01_01_cut.bvh")
    assert cmu.frame.unit == "in/0.45" and len(cmu.rig.pairs) == 12 and not cmu.rig.unpaired
    assert cmu.rig.body_map["left thigh"] == ("LeftUpLeg",) and cmu.rig.body_map["spine"][0] == "LowerBack"
    boxing = read(DATA / "boxing_cut.bvh")
    assert boxing.frame.unit == "cm" and boxing.rig.body_map["left forearm"] == ("LeftElbow",)
    assert boxing.rig.body_map["left clavicle"] == ("LeftCollar",) and boxing.rig.body_map["left shin"] == ("LeftKnee",)


def test_the_deckhand_is_known(deckhand_rig) -> None:
    rig = deckhand_rig
    assert len(rig.pairs) == 26 and not rig.unpaired
    follows = {n: h.follows for n, h in rig.helpers.items()}
    assert follows == {f"{p}_mark_{s}": f"{p}_{s}" for p in ("foot", "hand") for s in ("left", "right")}
    assert rig.travel_joint == rig.skeleton.index["root"]
    assert rig.body_map["right index finger"] == tuple(f"index_{n}_right" for n in (1, 2, 3))


@pytest.mark.parametrize("seed", range(4))
def test_shape_alone_tells_the_parts_of_a_figure_without_names(seed: int) -> None:
    """Generated rigs: every part with a joint of its own is found where it is, and said to be found by geometry."""
    named = rigs.rig(seed, seed, drop=("tail",))
    rig = rigs.silent(named)
    for part, names in named.body_map.items():
        if "finger" not in part:  # one joint is no finger to go by
            assert [rig.skeleton.index[n] for n in rig.body_map[part]] == [named.skeleton.index[n] for n in names], part
            assert rig.found[part].by == "geometry" and rig.found[part].sure < 0.9
    assert np.allclose(rig.facing, [0, 0, 1]) and rig.facing_found_by == "direction of the feet"


@pytest.mark.parametrize("name", ["boxing_cut.bvh", "01_01_cut.bvh"])
def test_the_shared_figures_are_known_without_their_names(name: str) -> None:
    named = read(DATA / name).rig
    rig = rigs.silent(named)
    for part, names in named.body_map.items():
        if "thumb" not in part:
            assert [rig.skeleton.index[n] for n in rig.body_map[part]] == [named.skeleton.index[n] for n in names], part


def test_what_is_not_human_becomes_chains_and_pairs() -> None:
    """A bird-like rig: tail, wings and a crest get chains of their own, sided ones in pairs."""
    base = rigs.rig(2, 0)
    s = base.skeleton
    more = [
        ("wing_1_l", "chest", (0.1, 0.05, -0.1)), ("wing_2_l", "wing_1_l", (0.3, 0, 0)), ("crest", "head", (0, 0.1, 0)),
        ("wing_1_r", "chest", (-0.1, 0.05, -0.1)), ("wing_2_r", "wing_1_r", (-0.3, 0, 0)),
    ]  # fmt: skip
    names, parents = list(s.names), s.parents.tolist()
    turned, placed = (list(a) for a in s.rest_model)
    for name, parent, offset in more:
        p = names.index(parent)
        names.append(name)
        parents.append(p)
        turned.append(quat.IDENTITY)
        placed.append(placed[p] + np.array(offset))
    flat = Skeleton(tuple(names), np.array(parents), np.array(turned), np.array(placed))
    q, t = kinematics.inverse(flat.parents, np.array(turned)[None], np.array(placed)[None])
    rig = analyse(Skeleton(tuple(names), np.array(parents), q[0], t[0]))
    assert rig.chains == {
        "tail": ("tail",), "left wing": ("wing_1_l", "wing_2_l"), "right wing": ("wing_1_r", "wing_2_r"), "crest": ("crest",),
    }  # fmt: skip
    assert not rig.unpaired and {"tail", "crest"} <= set(rig.centre)


def test_marks_for_the_engine_get_rules_from_place_and_name() -> None:
    rig = rigs.rig(3, 4, extras=True)
    rules = {n: (h.follows, h.how) for n, h in rig.helpers.items()}
    assert rules["lik_hand"] == ("lhand", "rest offset") and rules["rik_foot"] == ("rfoot", "rest offset")
    assert set(rig.twists) == {"lforearm_twist", "rforearm_twist"} and not set(rig.twists) & set(rig.helpers)


# What a person says --------------------------------------------------------------------------------------------


def test_a_document_repeats_what_was_found_and_survives_text() -> None:
    rig = rigs.rig(1, 1, extras=True, uneven=0.01)
    plain = to_plain(notes_of(rig, with_joints=True), "Made", rig.key, {"later": [1]})
    notes, unknown = from_plain(json.loads(json.dumps(plain)))
    again, unused = with_notes(rig, notes)
    assert unknown == {"later": [1]} and not unused
    assert again.pairs == rig.pairs and again.body_map == rig.body_map and again.found == rig.found
    assert again.helpers == rig.helpers and again.chains == rig.chains and again.digest == rig.digest
    alone = rig_of(notes)
    assert alone.key == rig.key and np.abs(alone.skeleton.rest_model[1] - rig.skeleton.rest_model[1]).max() < 1e-8


def test_edits_say_what_they_say() -> None:
    rig = rigs.rig(4, drop=("hand_r", "index_1_r"))
    order, n = rig.skeleton.index, notes_of(rig)
    told, _ = with_notes(rig, edits.mark_centre(n, "hand_l"))
    assert "hand_l" in told.centre and "hand_l" not in told.unpaired
    apart, _ = with_notes(rig, edits.unpair(n, "shin_l"))
    assert {"shin_l", "shin_r"} <= set(apart.unpaired)
    crossed, _ = with_notes(rig, edits.pair(n, "shin_l", "foot_r"))
    pair = next(p for p in crossed.pairs if p.left == "shin_l")
    assert pair.found_by == "told" and pair.residual_mm > 100 and {"shin_r", "foot_l"} <= set(crossed.unpaired)
    assert any(p.kind == "asymmetric" and "shin_l" in p.joints for p in problems(crossed))
    moved, _ = with_notes(rig, edits.assign(n, "neck", "spine", order))
    assert moved.body_map["spine"] == ("spine", "chest", "neck") and moved.found["spine"].by == "told"
    gone, _ = with_notes(rig, edits.assign(n, "hips", "", order))
    assert "pelvis" not in gone.body_map and any("pelvis" in p.text for p in problems(gone))
    ruled, _ = with_notes(rig, edits.follow(n, "tail", Rule("head")))
    assert ruled.helpers["tail"].follows == "head" and not with_notes(rig, edits.follow(n, "tail", None))[0].helpers
    twice, unused = with_notes(rig, Notes(pairs=(("shin_l", "shin_r"), ("foot_l", "shin_r")), centre=("nobody",)))
    assert len(twice.pairs) == 1 and "twice" in unused[1] and "nobody" in unused[0]


def test_another_frame_can_stand_for_the_rest_pose() -> None:
    """A rig whose rest pose is twisted mirrors exactly once a symmetric frame is taken for neutral."""
    rig = rigs.rig(6)
    s = rig.skeleton
    rng = np.random.default_rng(6)
    bent = quat.multiply(s.rest_rotations, quat.from_rotvec(rng.normal(0, 0.3, (len(s), 3))))
    twisted = analyse(Skeleton(s.names, s.parents, bent, s.rest_translations))
    assert max(p.residual_mm for p in twisted.pairs) > 20
    still = Clip("calibration", twisted.skeleton, s.rest_rotations[None], s.rest_translations[None], 30.0)
    neutral, _ = with_notes(twisted, edits.take_reference(notes_of(twisted), still))
    assert max(p.residual_mm for p in neutral.pairs) < 1e-4
    clip = rigs.clip(rig, 2)
    out = mirror(replace(clip, skeleton=twisted.skeleton), neutral, MirrorSettings("world"))
    assert np.abs(out.model[1] - clip.model[1][:, rig.partner] * [-1, 1, 1]).max() < 1e-6
    assert with_notes(neutral, edits.take_reference(notes_of(neutral), None))[0].reference is None


def test_a_skin_in_rest_is_the_bind_pose() -> None:
    document = read(DATA / "hand_left.glb")
    rig = document.rig
    mesh = rig.meshes[0]
    posed = mesh.posed(*rig.skeleton.rest_model)
    assert np.abs(posed - mesh.positions).max() < 1e-4, "this model was bound in the pose that its nodes stand in"
    assert quat.angle(document.frame.turn[0]) == 0


def test_a_joint_of_one_side_is_no_helper_of_the_middle() -> None:
    """As captures have it: hips of their own, left and right, in the place of the one in the middle."""
    s = rigs.rig(1).skeleton
    hips = s.index["hips"]
    names = (*s.names, "base", "hips.L", "hips.R")
    n = len(s)
    parents = [*(p if p >= 0 else n for p in s.parents.tolist()), -1, n, n]
    place = s.rest_model[1][hips]
    order = [n, *range(n), n + 1, n + 2]
    q = np.concatenate([s.rest_rotations, np.tile(quat.IDENTITY, (3, 1))])
    t = np.concatenate([s.rest_translations, [np.zeros(3), place, place]])
    at = {j: i for i, j in enumerate(order)}
    made = Skeleton(
        tuple(names[j] for j in order), np.array([at.get(parents[j], -1) for j in order]), q[order], t[order]
    )
    assert not {"hips.L", "hips.R"} & set(analyse(made).helpers)

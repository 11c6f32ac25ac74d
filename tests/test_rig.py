"""Sides in names, pairs, body maps, planes and facing."""

from __future__ import annotations

import numpy as np
import pytest

from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import analyse, sides

from . import rigs
from .conftest import DATA


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
    assert rig.helpers == {f"{p}_mark_{s}": f"{p}_{s}" for p in ("foot", "hand") for s in ("left", "right")}
    assert rig.travel_joint == rig.skeleton.index["root"]
    assert rig.body_map["right index finger"] == tuple(f"index_{n}_right" for n in (1, 2, 3))


def test_a_skin_in_rest_is_the_bind_pose() -> None:
    document = read(DATA / "hand_left.glb")
    rig = document.rig
    mesh = rig.meshes[0]
    posed = mesh.posed(*rig.skeleton.rest_model)
    assert np.abs(posed - mesh.positions).max() < 1e-4, "this model was bound in the pose that its nodes stand in"
    assert quat.angle(document.frame.turn[0]) == 0

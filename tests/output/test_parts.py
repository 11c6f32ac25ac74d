"""A part of the skeleton: what is in a file is what was asked for, proven, and the manifest tells the rest."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.output.manifest import manifest_of
from reflexa.output.parts import kept_joints
from reflexa.rig import Rig
from reflexa.rig.bodymap import joints_of
from reflexa.take import Export
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND

WALK = DATA / "humanoid3d_walk.bvh"


def moved(path: Path) -> set[str]:
    """The names of the nodes that the first animation of a GLB has channels of."""
    data = path.read_bytes()
    plain = json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])
    return {plain["nodes"][c["target"]["node"]]["name"] for c in plain["animations"][0]["channels"]}


@pytest.mark.parametrize("frame", ["source", "clean"])
@pytest.mark.parametrize("words", ["left arm", "upper body", "head,hand_left"])
def test_only_these_joints_have_channels(words: str, frame: str, tmp_path: Path) -> None:
    status, _, err = run("apply", DECKHAND, "--joints", words, "--frame", frame, "--name", "{clip}", "--out", tmp_path)
    assert status == 0, err
    document = read(DECKHAND)
    kept = kept_joints(document.rig, Export(joints=tuple(words.split(","))))
    path = tmp_path / "walk.glb"
    assert moved(path) == kept
    (clip,), whole = read(path).clips, document.clips.named("walk")
    assert clip.skeleton.names == whole.skeleton.names, "the rig's joints in the rig's order"
    at = [clip.skeleton.index[n] for n in kept]
    assert np.abs(np.abs((clip.rotations * whole.rotations)[:, at].sum(-1)) - 1).max() < 1e-9
    left_out = manifest_of(path)["left_out"]["joints"]
    assert {*left_out} == {*whole.skeleton.names} - kept
    still = [clip.skeleton.index[n] for n in left_out]
    assert np.ptp(clip.rotations[:, still], axis=0).max() < 1e-6


def test_usd_says_nothing_of_the_other_joints(tmp_path: Path) -> None:
    """Source: UsdSkel, whose animations name the joints that they drive."""
    from pxr import Usd, UsdSkel

    status, _, err = run("apply", WALK, "--joints", "left arm", "--format", "usda", "--out", tmp_path)
    assert status == 0, err
    stage = Usd.Stage.Open(str(tmp_path / f"{WALK.stem}.usda"))
    (animation,) = [UsdSkel.Animation(p) for p in stage.Traverse() if p.IsA(UsdSkel.Animation)]
    driven = {t.rsplit("/", 1)[-1] for t in animation.GetJointsAttr().Get()}
    rig = read(WALK).rig
    assert driven == set(joints_of(rig.body_map, "left arm"))


def test_bvh_has_them_and_what_they_hang_on(tmp_path: Path) -> None:
    status, _, err = run("apply", WALK, "--joints", "left arm", "--out", tmp_path)
    assert status == 0, err
    made, rig = read(tmp_path / WALK.name), read(WALK).rig
    arm = joints_of(rig.body_map, "left arm")
    assert {*arm} < {*made.rig.skeleton.names} < {*rig.skeleton.names}
    assert not any("right" in n.lower() for n in made.rig.skeleton.names)


@pytest.mark.parametrize("kind", ["glb", "usdc", "bvh"])
@pytest.mark.parametrize("what", ["helpers", "fingers", "tracks", "scale", "helpers,fingers"])
def test_what_is_left_out_is_not_there(what: str, kind: str, tmp_path: Path) -> None:
    status, _, err = run(
        "apply",
        DECKHAND,
        "--without",
        what,
        "--format",
        kind,
        "--name",
        "{clip}",
        "--step",
        "mirror",
        "--out",
        tmp_path,
    )
    assert status == 0, err
    rig = read(DECKHAND).rig
    made = tmp_path / f"walk.{kind}"
    said = manifest_of(made)["left_out"]
    gone = {*said.get("joints", ())}
    if "helpers" in what:
        assert {*rig.helpers, *rig.twists} <= gone
    if "fingers" in what:
        assert {n for p, names in rig.body_map.items() if p.endswith(("finger", "thumb")) for n in names} <= gone
    assert ("tracks" in said, said.get("scale", False)) == (what == "tracks", what == "scale")
    if kind == "bvh":
        assert not gone & {*read(made).rig.skeleton.names}


def test_a_group_of_the_rig_and_a_wrong_word(deckhand_rig: Rig, tmp_path: Path) -> None:
    with pytest.raises(RecipeError, match="hand_left"):
        kept_joints(deckhand_rig, Export(joints=("hand_lft",)))
    status, _, err = run("apply", WALK, "--joints", "left aarm", "--out", tmp_path / "a")
    assert status == 2 and "left arm" in err and not (tmp_path / "a").exists()
    status, _, err = run("apply", WALK, "--without", "toes", "--out", tmp_path / "a")
    assert status == 2 and "helpers" in err


def test_a_part_of_a_difference(tmp_path: Path) -> None:
    status, _, err = run(
        "apply", WALK, "--additive-to", "first", "--joints", "upper body", "--format", "glb", "--out", tmp_path
    )
    assert status == 0, err
    made = tmp_path / f"{WALK.stem}.glb"
    said = manifest_of(made)
    assert said["additive"]["base"] == "first frame" and said["left_out"]["joints"]
    assert said["base_plus_difference_error_mm"] < 0.01 and read(made).clips[0].additive is not None

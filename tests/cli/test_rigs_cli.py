"""Rigs on the command line: retarget, rename, helper joints, rig documents, findings, writing for a given rig."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.checks import CHECKS, Subject
from reflexa.formats import encode, read
from reflexa.motion.clip import rest_clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import analyse
from tests.helpers import rigs
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND, KEEPER

WALK = DATA / "humanoid3d_walk.bvh"


def test_a_clip_goes_onto_a_model_with_its_skin(tmp_path: Path) -> None:
    status, out, err = run("apply", WALK, "--step", "retarget", "--rig", KEEPER, "--out", tmp_path, "--json", "--quiet")
    assert status == 0, err
    (written,) = json.loads(out)["written"]
    back = read(Path(written["file"]))
    keeper = read(KEEPER)
    assert back.format == "glb" and back.rig.key == keeper.rig.key and back.rig.meshes and len(back.clips) == 1
    assert np.abs(back.rig.skeleton.rest_model[1] - keeper.rig.skeleton.rest_model[1]).max() < 1e-6
    assert not CHECKS["helper"].run(Subject(back.clips[0], back.rig))
    manifest = json.loads(Path(written["manifest"]).read_text())
    assert manifest["source"]["file"] == WALK.name and manifest["recipe"]["steps"][0]["kind"] == "retarget"


def test_a_rig_document_stands_in_for_a_model_and_corrects_a_clips_own_rig(tmp_path: Path) -> None:
    document = tmp_path / "keeper.rig.json"
    assert run("rig", KEEPER, "--out", document)[0] == 0
    assert run("rig", KEEPER, "--out", document)[0] == 4, "nothing is written over without being told"
    assert (
        run(
            "apply",
            WALK,
            "--step",
            "retarget:clear=false,relations=false",
            "--rig",
            document,
            "--out",
            tmp_path / "a",
            "--format",
            "glb",
        )[0]
        == 0
    )
    assert (
        run("apply", WALK, "--step", "retarget:clear=false,relations=false", "--rig", KEEPER, "--out", tmp_path / "b")[
            0
        ]
        == 0
    )
    a, b = (read(tmp_path / f / "humanoid3d_walk.glb").clips[0] for f in "ab")
    assert np.abs(a.model[1] - b.model[1]).max() < 1e-5
    said = json.loads(document.read_text())
    said["pairs"] = [p for p in said["pairs"] if "Thigh" not in p["left"]]
    document.write_text(json.dumps(said))
    status, out, _ = run("info", KEEPER, "--rig", document, "--json")
    assert status == 0 and json.loads(out)["files"][0]["rig"]["unpaired"] == ["PortThigh", "StarboardThigh"]
    status, out, _ = run("check", KEEPER, "--rig", document, "--json")
    kinds = {f["kind"] for f in json.loads(out)["findings"]}
    assert status == 1 and kinds == {"helper", "unpaired"}


def test_helper_joints_of_many_clips_are_put_back_by_one_command(tmp_path: Path) -> None:
    status, out, _ = run("check", KEEPER, "--json")
    before = [f for f in json.loads(out)["findings"] if f["clip"] == "turning the winch"]
    assert status == 1 and len(before) == 4 and before[0]["repair"] == "helper-joints" and before[0]["size"] > 100
    assert run("apply", KEEPER, "--step", "helper-joints", "--out", tmp_path)[0] == 0
    files = sorted(tmp_path.glob("*.glb"))
    assert len(files) == 2 and run("check", *files)[0] == 0


def test_names_of_a_matching_rig_are_taken_and_unlike_rigs_refused(tmp_path: Path) -> None:
    rig = rigs.rig(3)
    s = rig.skeleton
    other = analyse(Skeleton(tuple(f"J_{n}" for n in s.names), s.parents, s.rest_rotations, s.rest_translations))
    (tmp_path / "a.glb").write_bytes(encode([rigs.clip(rig, 3)], rig, "glb"))
    (tmp_path / "b.glb").write_bytes(encode([rest_clip(other.skeleton)], other, "glb"))
    assert (
        run("apply", tmp_path / "a.glb", "--step", "rename", "--rig", tmp_path / "b.glb", "--out", tmp_path / "o")[0]
        == 0
    )
    back = read(tmp_path / "o" / "a.glb")
    assert back.rig.skeleton.names == read(tmp_path / "b.glb").rig.skeleton.names
    status, _, err = run("apply", tmp_path / "a.glb", "--step", "rename", "--rig", KEEPER, "--out", tmp_path / "p")
    assert status == 2 and "does not match" in err and not (tmp_path / "p").exists()
    status, _, err = run("apply", tmp_path / "a.glb", "--rig", KEEPER, "--out", tmp_path / "p")
    assert status == 2 and "has no joint" in err and "--step retarget" in err


def test_a_clip_without_skin_is_written_into_its_model(tmp_path: Path) -> None:
    """A motion file of the rig's joints alone, in another order, comes out with the model's skin and order."""
    deck = read(DECKHAND)
    clip = deck.clips[0]
    order = np.array(
        [*range(7), *range(27, 47), *range(7, 27), *range(51, 55), *range(47, 51), *range(55, len(clip.skeleton))]
    )
    s = clip.skeleton
    place = {int(old): new for new, old in enumerate(order)}
    parents = np.array([place[int(s.parents[j])] if s.parents[j] >= 0 else -1 for j in order])
    bare = Skeleton(tuple(s.names[j] for j in order), parents, s.rest_rotations[order], s.rest_translations[order])
    moved = replace(clip, skeleton=bare, rotations=clip.rotations[:, order], translations=clip.translations[:, order])
    (tmp_path / "bare.glb").write_bytes(encode([moved], analyse(bare), "glb"))
    assert run("apply", tmp_path / "bare.glb", "--rig", DECKHAND, "--out", tmp_path / "o")[0] == 0
    back = read(tmp_path / "o" / "bare.glb")
    assert back.rig.meshes and back.rig.skeleton.names == s.names
    assert np.abs(back.clips[0].model[1] - clip.model[1]).max() < 1e-5


JOINT = '{"name": "a", "parent": null, "rotation": [0,0,0,1], "translation": [0,0,0]}'


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "not valid JSON"), ('{"reflexa": "recipe", "version": 1}', "not a saved rig"),
        ('{"reflexa": "rig", "version": 99}', "newer"), ('{"reflexa": "rig", "version": 1, "pairs": 3}', "expected `array`"),
        ('{"reflexa": "rig", "version": 1, "joints": [' + JOINT.replace("null", '"b"') + "]}", "does not exist"),
        ('{"reflexa": "rig", "version": 1, "joints": [' + JOINT.replace("0,0,0,1", "0,0,0,0") + "]}", "not a rotation"),
    ],
)  # fmt: skip
def test_bad_rig_documents_are_told_in_words(tmp_path: Path, text: str, said: str) -> None:
    path = tmp_path / "bad.rig.json"
    path.write_text(text)
    status, _, err = run("apply", WALK, "--step", "retarget", "--rig", path, "--out", tmp_path / "o")
    assert status in (2, 3) and said in err and "bad.rig.json" in err and not (tmp_path / "o").exists()


def test_what_cannot_be_retargeted_is_said_and_leaves_nothing(tmp_path: Path) -> None:
    status, _, err = run(
        "apply", DATA / "simple_skin.gltf", "--step", "retarget", "--rig", KEEPER, "--out", tmp_path / "o"
    )
    assert status == 2 and "the source has no pelvis" in err and not (tmp_path / "o").exists()
    recipe = tmp_path / "r.recipe.json"
    recipe.write_text(json.dumps({
        "reflexa": "recipe", "version": 1, "name": "half", "steps": [{"kind": "retarget", "weight": 0.5}],
    }))  # fmt: skip
    status, _, err = run("apply", WALK, "--recipe", recipe, "--rig", KEEPER, "--out", tmp_path / "o")
    assert status == 2 and "no weight" in err

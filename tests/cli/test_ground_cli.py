"""The ground from the command line: check, apply with a stage, loops written several times over, a root joint added."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest

from reflexa.formats import read
from reflexa.formats.text import pretty
from reflexa.stage import Stage
from reflexa.stage.presets import PRESETS
from reflexa.stage.store import document
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND, KEEPER

WALK = DATA / "humanoid3d_walk.bvh"


@pytest.fixture
def jetty(tmp_path: Path) -> Path:
    path = tmp_path / "jetty.stage.json"
    path.write_text(pretty(document(Stage((PRESETS["jetty step"](),)))))
    return path


def clip_of(path: Path, name: str):
    return next(c for c in read(path).clips if c.name == name)


def test_check_prints_slide_penetration_float_and_drift_in_cm_with_frames(jetty: Path) -> None:
    status, out, _ = run("check", DECKHAND, "--stage", jetty)
    assert status == 1
    lines = [line for line in out.splitlines() if ": slide " in line]
    assert len(lines) == 11
    assert any(
        "walk on the spot: slide 0.0 cm, penetration 0.0 cm, float 0.0 cm, drift 0.0 cm" in line for line in lines
    )
    status, out, _ = run("check", DECKHAND, "--json")
    found = json.loads(out)
    by = {m["clip"]: m for m in found["measured"]}
    assert by["walk, skating"]["slide"]["size"] > 8 and by["walk, skating"]["unit"] == "cm"
    assert by["rope haul, feet sunk"]["penetration"]["size"] == pytest.approx(5.0, abs=0.3)
    first, last = by["walk, skating"]["slide"]["frames"]
    assert first <= by["walk, skating"]["slide"]["worst"] <= last
    kinds = {(f["clip"], f["kind"]) for f in found["findings"]}
    assert ("walk, skating", "slide") in kinds and ("rope haul, feet sunk", "penetration") in kinds
    assert ("step up", "float") in kinds, "without the stage there is nothing to stand on"


def test_faults_are_repaired_by_steps_and_a_stage(jetty: Path, tmp_path: Path) -> None:
    status, _, err = run(
        "apply",
        DECKHAND,
        "--step",
        "foot-lock",
        "--stage",
        jetty,
        "--out",
        tmp_path / "out",
        "--name",
        "{clip}",
        "--quiet",
    )
    assert status == 0, err
    for name in ("walk, skating", "rope haul, feet sunk", "step up"):
        status, out, _ = run("check", tmp_path / "out" / f"{name}.glb", "--stage", jetty)
        assert status == 0, out
    manifest = json.loads((tmp_path / "out" / "step up.glb.clip.json").read_text())
    assert manifest["recipe"]["steps"][0]["kind"] == "foot-lock" and "jetty" not in json.dumps(manifest)
    assert all("jetty" not in str(read(p).rig.skeleton.names) for p in (tmp_path / "out").glob("*.glb")), (
        "never exported"
    )


def test_goal_root_motion_and_follow_through_from_the_command_line(tmp_path: Path) -> None:
    rail = tmp_path / "rail.stage.json"
    prop = msgspec.structs.replace(PRESETS["rail"](), place=(0.0, 0.9, 0.35))
    rail.write_text(pretty(document(Stage((prop,)))))
    status, _, err = run(
        "apply", KEEPER, "--step", "reach:limb=left hand,to=grip,prop=rail,grip=middle", "--step",
        "root-motion:operation=turn and scale,angle=90", "--stage", rail, "--out", tmp_path / "a", "--quiet",
    )  # fmt: skip
    assert status == 0, err
    status, _, err = run(
        "apply", DECKHAND, "--step", 'root-motion:operation=along path,path=[[0, 0], [0.5, 1], [1.5, 1.2]],turn=true', "--step",
        'goal:limb=left hand,point=[0.3, 1.1, 0.4],meets="joint",spans=[{"start":0,"at":2,"until":9,"end":12}]', "--out",
        tmp_path / "c", "--name", "{clip}", "--quiet",
    )  # fmt: skip
    assert status == 0, err
    hand = clip_of(tmp_path / "c" / "lantern idle.glb", "lantern idle")
    place = hand.model[1][5, read(DECKHAND).rig.joint("left hand")]
    assert np.allclose(place, [0.3, 1.1, 0.4], atol=1e-3)
    status, _, err = run("apply", KEEPER, "--step", "reach:point=[0, 1", "--out", tmp_path / "b", "--quiet")
    assert status == 2 and "reach:point" in err
    status, _, err = run("apply", KEEPER, "--step", "reach:to=grip,prop=oar", "--out", tmp_path / "b", "--quiet")
    assert status == 2 and "no prop 'oar'" in err and not (tmp_path / "b").exists()
    status, _, err = run("apply", KEEPER, "--step", "follow-through:chain=oar", "--out", tmp_path / "b", "--quiet")
    assert status == 2 and "no chain or joint 'oar'" in err
    broken = tmp_path / "broken.stage.json"
    broken.write_text('{"reflexa": "stage", "version": 1, "props": [{"name": "a", "size": [0, 1, 1]}]}')
    status, _, err = run("apply", KEEPER, "--step", "foot-lock", "--stage", broken, "--out", tmp_path / "b")
    assert status == 3 and "props[0].size" in err and "broken.stage.json" in err
    status, _, err = run("check", KEEPER, "--stage", tmp_path / "none.stage.json")
    assert status == 3 and "none.stage.json" in err


@pytest.mark.long
def test_a_loop_is_written_several_times_over(tmp_path: Path) -> None:
    status, _, err = run(
        "apply", DECKHAND, "--step", "root-motion:operation=from feet", "--cycles", "3", "--out", tmp_path, "--name", "{clip}",
        "--quiet",
    )  # fmt: skip
    # Clips without a foot that ever stands are refused whole, with the reason; here every clip has one.
    assert status == 0, err
    back = clip_of(tmp_path / "walk on the spot.glb", "walk on the spot")
    root = back.model[1][:, back.skeleton.index["root"], 2]
    assert back.frames == 3 * 32 + 1 and root[-1] == pytest.approx(3 * root[32], abs=1e-5)


def test_a_root_joint_is_written_with_the_skin(tmp_path: Path) -> None:
    status, _, err = run(
        "apply", WALK, "--step", "root-joint:called=motion", "--format", "glb", "--out", tmp_path, "--quiet"
    )
    assert status == 0, err
    (path,) = tmp_path.glob("*.glb")
    back = read(path)
    assert back.rig.skeleton.names[0] == "motion" and back.rig.joint("root") == 0
    source = read(WALK).clips[0]
    assert np.abs(back.clips[0].model[1][:, 1:] - source.model[1]).max() < 1e-5
    status, _, err = run(
        "apply", path, "--step", "retarget", "--rig", KEEPER, "--step", "root-motion:line=straight", "--out", tmp_path / "b",
        "--quiet",
    )  # fmt: skip
    assert status == 0, err
    (path,) = (tmp_path / "b").glob("*.glb")
    assert read(path).rig.meshes


@pytest.mark.long
def test_many_files_at_once_come_out_as_one_by_one(jetty: Path, tmp_path: Path) -> None:
    steps = [
        "--step",
        "root-motion:operation=turn and scale,angle=15",
        "--step",
        "foot-lock",
        "--stage",
        jetty,
        "--quiet",
    ]
    for jobs, out in ((1, "one"), (2, "two")):
        status, _, err = run("apply", DECKHAND, KEEPER, *steps, "--out", tmp_path / out, "--jobs", jobs)
        assert status == 0, err
    names = sorted(p.name for p in (tmp_path / "one").iterdir())
    assert len(names) == 26 and names == sorted(p.name for p in (tmp_path / "two").iterdir())
    assert all((tmp_path / "one" / n).read_bytes() == (tmp_path / "two" / n).read_bytes() for n in names)

"""Findings for scripts and build servers."""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree

from reflexa.formats import read
from tests.helpers.commands import run
from tests.helpers.files import DATA

DECKHAND = DATA.parents[1] / "reflexa/demo/project/sources/deckhand.glb"


def test_check_gives_findings_and_stances_a_clip() -> None:
    status, out, _ = run("check", DECKHAND, "--json")
    said = {c["clip"]: c for c in json.loads(out)["clips"]}
    assert status == 1 and said["walk"]["findings"] == []
    keys = {"kind", "joint", "first", "last", "size", "unit", "threshold", "repair", "step"}
    assert all(keys <= set(f) for c in said.values() for f in c["findings"])
    assert {f["step"] for f in said["walk, skating"]["findings"]} == {"source"}
    stances = said["walk to the landing"]["stances"]
    assert len(stances) >= 7 and {s["limb"] for s in stances} == {"left foot", "right foot"}
    assert all(s["slide_cm"] < 1 and s["first"] < s["last"] for s in stances)


def test_check_tells_build_servers_and_goes_by_told_thresholds(tmp_path: Path) -> None:
    status, out, _ = run("check", DECKHAND, "--format", "junit")
    root = ElementTree.fromstring(out)
    cases = root.findall(".//testcase")
    bad = {(c.get("classname", "").split(".glb.")[-1], c.get("name")) for c in cases if c.find("failure") is not None}
    assert status == 1 and ("walk, skating", "Foot slide") in bad and ("walk", "Foot slide") not in bad
    assert int(root.find("testsuite").get("failures")) == len(bad)
    file = tmp_path / "t.json"
    file.write_text(run("thresholds")[1].replace('"value": 3.5', '"value": 50'))
    status, out, _ = run("check", DECKHAND, "--format", "junit", "--thresholds", file)
    assert 'type="slide"' not in out and status == 1
    file.write_text("{")
    assert run("check", DECKHAND, "--thresholds", file)[0] == 3
    status, out, err = run("check", DATA / "01_01_cut.bvh", tmp_path / "none.bvh", "--format", "junit")
    assert status == 3 and "<error" in out and "none.bvh" in err


def test_a_clip_can_be_called_a_loop_by_hand() -> None:
    walk = DATA / "humanoid3d_walk.bvh"
    assert run("check", walk)[0] == 0
    status, out, _ = run("check", walk, "--loop", "--json")
    assert status == 1 and {f["kind"] for f in json.loads(out)["findings"]} <= {"seam", "root-drift"}


def test_mend_puts_in_what_helps_and_says_what(tmp_path: Path) -> None:
    status, out, _ = run("fix", DECKHAND, "--out", tmp_path / "out", "--json")
    said = {c["clip"]: c for c in json.loads(out)["clips"]}
    assert status == 0 and said["walk"]["tried"] == [] and not said["walk"]["written"]
    (tried,) = said["walk, skating"]["tried"]
    assert tried["kept"] and tried["kind"] == "foot-lock" and tried["before"] > 8 and tried["after"] == 0
    path = Path(said["walk, skating"]["written"])
    assert run("check", path)[0] == 0 and read(path).clips[0].name == "walk, skating"
    manifest = json.loads(path.with_name(f"{path.name}.clip.json").read_text())
    assert manifest["findings"] == [] and [s["kind"] for s in manifest["recipe"]["steps"]] == ["foot-lock"]
    assert run("fix", DECKHAND, "--out", tmp_path / "out")[0] == 4, "nothing is written over"


def test_manifests_say_what_is_left_and_who_brought_it_in(tmp_path: Path) -> None:
    recipe = tmp_path / "r.recipe.json"
    step = {"kind": "root-motion", "name": "too far", "settings": {"operation": "turn and scale", "scale": 1.4}}
    recipe.write_text(json.dumps({"reflexa": "recipe", "version": 1, "name": "r", "steps": [step]}))
    source = DATA / "humanoid3d_walk.bvh"
    assert run("apply", source, "--recipe", recipe, "--out", tmp_path / "out")[0] == 0
    (manifest,) = (tmp_path / "out").glob("*.clip.json")
    left = json.loads(manifest.read_text())["findings"]
    assert left and {f["step"] for f in left if f["kind"] == "slide"} == {"too far"}


def test_a_whole_folder_of_exports_is_looked_at_manifests_and_all(tmp_path: Path) -> None:
    assert run("convert", DATA / "boxing_cut.bvh", tmp_path / "box.glb")[0] == 0
    beside = tmp_path / "box.glb.clip.json"
    beside.write_text('{"reflexa": "manifest", "version": 1}')
    status, out, err = run("check", tmp_path / "box.glb", beside, "--json")
    assert status in (0, 1) and not err and [Path(c["path"]).name for c in json.loads(out)["clips"]] == ["box.glb"]
    status, _, err = run("check", beside)
    assert status == 3 and "box.glb.clip.json" in err and "contains no clip" in err

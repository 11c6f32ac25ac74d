"""Additive clips: base and difference are the take again, whatever the base, the side, the format, the cut and the rate."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.checks import findings
from reflexa.formats import read
from reflexa.motion.additive import put_onto
from reflexa.motion.clip import Clip
from reflexa.output.additive import added
from reflexa.output.hand_over import handed_over
from reflexa.output.manifest import manifest_of
from reflexa.rig import Rig
from reflexa.steps.blend import BlendSettings, blend
from reflexa.take import Export, Range
from tests.formats.test_gltf import needs_node, node
from tests.helpers import rigs
from tests.helpers.commands import run
from tests.helpers.files import DATA

WALK = DATA / "humanoid3d_walk.bvh"
RANGES = (Range("step", 3, 12), Range("round", 4, 28, True))
SHAPES = {
    "whole": (Export(), ()),
    "cut": (Export(first=5, last=20), ()),
    "at a rate": (Export(rate=24.0), ()),
    "cycles, held": (Export(cycles=2, held=(3, 4)), ()),
    "ranges": (Export(rate=50.0), RANGES),
}


def off(a: Clip, b: Clip) -> float:
    """The largest distance of a joint, metres."""
    return float(np.abs(a.model[1] - b.model[1]).max())


@pytest.mark.parametrize("turns", ["own", "parent"])
@pytest.mark.parametrize("to", ["rest", "first", "frame 7", "other"])
@pytest.mark.parametrize("shape", SHAPES)
def test_base_and_difference_are_the_take(shape: str, to: str, turns: str, deckhand_rig: Rig, deckhand_clips) -> None:
    export, ranges = SHAPES[shape]
    walk, idle = deckhand_clips["walk"], deckhand_clips["lantern idle"]
    handed = handed_over(
        walk, deckhand_rig, ranges, replace(export, additive=to, additive_turns=turns), {"other": (idle, deckhand_rig)}
    )
    plain = handed_over(walk, deckhand_rig, ranges, export, {}).clips
    assert [c.name for c in handed.clips] == [c.name for c in plain]
    for clip, whole in zip(handed.clips, plain, strict=True):
        assert clip.additive is not None and clip.additive.turns == turns and clip.contacts == ()
        assert (clip.frames, clip.rate, clip.loop, clip.events) == (whole.frames, whole.rate, whole.loop, whole.events)
        assert off(put_onto(clip, handed.wholes[clip.name].base), whole) < 1e-6
        if to != "other":
            still = handed.wholes[clip.name].base
            assert np.ptp(still.translations, axis=0).max() == 0, "a pose that stands still"


@pytest.mark.parametrize("first", [0, 6])
def test_a_difference_finds_its_place_on_a_base_of_another_length(
    first: int, deckhand_rig: Rig, deckhand_clips
) -> None:
    walk, haul = deckhand_clips["rope haul"], deckhand_clips["lantern idle"]
    export = Export(first=first, additive="other")
    (clip,) = handed_over(walk, deckhand_rig, (), export, {"other": (haul, deckhand_rig)}).clips
    assert off(added(clip, haul, deckhand_rig, "other"), walk.cut(first, walk.frames - 1)) < 1e-6


def test_of_a_clip_that_is_its_base_nothing_is_left(deckhand_rig: Rig, deckhand_clips) -> None:
    walk = deckhand_clips["walk"]
    (clip,) = handed_over(walk, deckhand_rig, (), Export(additive="x"), {"x": (walk, deckhand_rig)}).clips
    s = walk.skeleton
    assert np.abs(clip.translations - s.rest_translations).max() < 1e-12
    assert np.abs(np.abs((clip.rotations * s.rest_rotations).sum(-1)) - 1).max() < 1e-12


def test_the_root_can_stay_with_the_base(deckhand_rig: Rig, deckhand_clips) -> None:
    walk = deckhand_clips["walk"]
    (clip,) = handed_over(walk, deckhand_rig, (), Export(additive="first", additive_root=False), {}).clips
    on = added(clip, walk.cut(0, 0), deckhand_rig, "")
    travel = deckhand_rig.travel_joint
    assert np.ptp(on.model[1][:, travel], axis=0).max() < 1e-9
    assert np.ptp(on.rotations, axis=0).max() > 0.1


def test_a_pose_and_a_loop_last_as_long_as_the_base(deckhand_rig: Rig, deckhand_clips) -> None:
    walk, haul = deckhand_clips["walk"], deckhand_clips["rope haul"]
    loop = replace(walk, loop=True)
    (difference,) = handed_over(loop, deckhand_rig, (), Export(additive="first", additive_root=False), {}).clips
    assert added(difference, haul, deckhand_rig, "").frames == haul.frames
    pose = difference.cut(5, 5)
    on = added(pose, haul, deckhand_rig, "")
    assert (on.frames, on.rate, on.additive) == (haul.frames, haul.rate, None)


@pytest.mark.parametrize("turns", ["own", "parent"])
def test_blend_adds_it_as_it_is(turns: str, deckhand_rig: Rig, deckhand_clips) -> None:
    haul, idle = deckhand_clips["rope haul"], deckhand_clips["lantern idle"]
    export = Export(additive="other", additive_turns=turns)
    (clip,) = handed_over(haul, deckhand_rig, (), export, {"other": (idle, deckhand_rig)}).clips
    base = idle.cut(0, haul.frames - 1)
    for against in ("first frame", "rest pose"):
        on = blend(
            base, deckhand_rig, BlendSettings(clip="x", mode="add", against=against), {"x": (clip, deckhand_rig)}
        )
        assert off(on, haul) < 1e-6


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("turns", ["own", "parent"])
def test_on_odd_rigs_too(seed: int, turns: str) -> None:
    on = rigs.rig(seed, seed % 5, 0.02, extras=bool(seed % 2))
    clip = rigs.clip(on, seed, moving=True)
    handed = handed_over(clip, on, (), Export(additive="first", additive_turns=turns), {})
    assert off(put_onto(handed.clips[0], handed.wholes[clip.name].base), clip) < 1e-6


def test_alone_it_is_not_judged_for_its_floor(deckhand_rig: Rig, deckhand_clips) -> None:
    walk = deckhand_clips["walk, skating"]
    assert {f.kind for f in findings(walk, deckhand_rig)} & {"slide"}
    (clip,) = handed_over(walk, deckhand_rig, (), Export(additive="rest"), {}).clips
    low = clip.with_motion(clip.rotations, clip.translations - [0.0, 1.0, 0.0])
    ground = {"slide", "penetration", "float", "turned-foot", "balance", "flight", "root-drift", "rest-pose", "freeze"}
    assert not {f.kind for f in findings(low, deckhand_rig)} & ground


@pytest.mark.parametrize("kind", ["glb", "gltf", "usda", "usdc", "bvh"])
def test_from_file_to_file_and_back(kind: str, tmp_path: Path) -> None:
    status, _, err = run("convert", WALK, tmp_path / f"walk.{kind}")
    assert status == 0, err
    source = tmp_path / f"walk.{kind}"
    base = tmp_path / f"base.{kind}"
    status, _, err = run("apply", source, "--step", "mirror", "--name", "base", "--out", tmp_path)
    assert status == 0, err
    status, _, err = run("apply", source, "--additive-to", base, "--out", tmp_path / "added")
    assert status == 0, err
    made = tmp_path / "added" / source.name
    said = manifest_of(made)
    assert said["additive"]["base"].startswith(f"base.{kind}/") and said["base_plus_difference_error_mm"] < 0.01
    (clip,) = read(made).clips
    assert (clip.additive is not None) == (kind != "bvh"), "BVH has no place for it: the manifest tells"
    status, _, err = run("apply", made, "--base", base, "--out", tmp_path / "again")
    assert status == 0, err
    (again,), (whole,) = read(tmp_path / "again" / source.name).clips, read(source).clips
    assert again.additive is None and off(again, whole) < 2e-5
    assert "findings" in said and not {f["kind"] for f in said["findings"]} & {"missing-part"}


@needs_node
@pytest.mark.parametrize("to", ["first", "clip"])
def test_an_independent_player_adds_it_onto_the_base(to: str, tmp_path: Path) -> None:
    """Source: additive blending of the npm package three, a general-purpose WebGL library, run headless."""
    base = tmp_path / "base.glb"
    assert run("convert", WALK, tmp_path / "walk.glb")[0] == 0
    if to == "first":
        assert (
            run("apply", WALK, "--step", "trim:first=0,last=0", "--format", "glb", "--name", "base", "--out", tmp_path)[
                0
            ]
            == 0
        )
    else:
        assert run("apply", WALK, "--step", "mirror", "--format", "glb", "--name", "base", "--out", tmp_path)[0] == 0
    said = "first" if to == "first" else base
    assert run("apply", tmp_path / "walk.glb", "--additive-to", said, "--out", tmp_path / "added")[0] == 0
    document = read(tmp_path / "walk.glb")
    (whole,) = document.clips
    times = json.dumps(np.float32(np.arange(whole.frames) / whole.rate).astype(float).tolist())
    places = np.array(node("play.mjs", tmp_path / "added" / "walk.glb", 0, times, "onto", base))
    assert np.abs(places[:, list(document.layout.nodes)] - whole.model[1]).max() < 1e-4


def test_what_is_wrong_is_said(tmp_path: Path) -> None:
    for options, text in (
        (("--additive-to", "frame 900"), "there is no frame 900"),
        (("--additive-to", tmp_path / "none.glb"), "none.glb"),
        (("--base", DATA / "nothing.bvh"), "nothing.bvh"),
    ):
        status, out, err = run("apply", WALK, *options, "--out", tmp_path / "out")
        assert status in (2, 3) and text in err and not out
    assert not (tmp_path / "out").exists() or not list((tmp_path / "out").iterdir())

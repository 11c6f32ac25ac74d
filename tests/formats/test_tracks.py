"""Tracks of a clip in files: weights of shapes in glTF 2.0 and OpenUSD, checked by OpenUSD's own evaluation."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest

from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.formats.gltf.write import write as write_gltf
from reflexa.formats.usd.write import write as write_usd
from reflexa.motion.clip import Clip, Track
from reflexa.rig import Mesh, Rig
from reflexa.steps import apply, make
from tests.formats.test_gltf import needs_node, node
from tests.helpers import rigs


def with_face(seed: int = 3) -> tuple[Clip, Rig]:
    rig = rigs.rig(seed, 2)
    joints = len(rig.skeleton)
    points = np.array([[0, 0, 0], [0.1, 0, 0], [0, 0.1, 0]], dtype=float)
    weights = np.tile([1.0, 0, 0, 0], (3, 1))
    raised = np.array([[0, 0, 0.05], [0, 0, 0], [0, 0, 0.02]])
    mesh = Mesh(
        points, np.tile([0.0, 0, 1], (3, 1)), np.array([[0, 1, 2]], dtype=np.uint32), np.zeros((3, 4), np.uint16), weights,
        np.tile(np.eye(4), (joints, 1, 1)), np.full((3, 3), 0.5), (("beak", raised), ("lid_left", 2 * raised)),
    )  # fmt: skip
    clip = rigs.clip(rig, seed, 30)
    t = np.linspace(0, 1, 30)
    return replace(clip, name="call", tracks=(Track("beak", t), Track("lid_left", 1 - t))), replace(rig, meshes=(mesh,))


FORMATS = {
    "glb": lambda c, r: write_gltf([c], r),
    "gltf": lambda c, r: write_gltf([c], r, binary=False),
    "usda": lambda c, r: write_usd([c], r),
    "usdc": lambda c, r: write_usd([c], r, text=False),
}


@pytest.mark.parametrize("suffix", FORMATS)
def test_tracks_and_shapes_are_read_as_they_were_written(suffix: str, tmp_path: Path) -> None:
    clip, rig = with_face()
    path = tmp_path / f"call.{suffix}"
    path.write_bytes(FORMATS[suffix](clip, rig))
    back = read(path)
    assert not [w for w in back.warnings if "shape" in w]
    for a, b in zip(clip.tracks, back.clips[0].tracks, strict=True):
        assert a.name == b.name and np.abs(a.values - b.values).max() < 1e-6
    for (name, offsets), (was, given) in zip(back.rig.meshes[0].shapes, rig.meshes[0].shapes, strict=True):
        assert name == was and np.abs(offsets - given).max() < 1e-6


def test_a_clip_that_is_cut_takes_its_tracks_along_into_its_own_file(tmp_path: Path) -> None:
    clip, rig = with_face()
    path = tmp_path / "call.glb"
    path.write_bytes(write_gltf([clip], rig))
    source = read(path)
    cut = apply(make("trim", first=10, last=19), source.clips[0], source.rig)
    (tmp_path / "cut.glb").write_bytes(write_gltf([cut], source.rig, source))
    back = read(tmp_path / "cut.glb").clips[0]
    assert back.frames == 10 and np.allclose(back.tracks[0].values, clip.tracks[0].values[10:20], atol=1e-6)


def test_openusd_poses_the_shapes_as_the_tracks_say(tmp_path: Path) -> None:
    from pxr import Usd, UsdSkel

    clip, rig = with_face()
    path = tmp_path / "call.usda"
    path.write_bytes(write_usd([clip], rig))
    stage = Usd.Stage.Open(str(path))
    cache = UsdSkel.Cache()
    skeleton = UsdSkel.Skeleton(next(p for p in stage.Traverse() if p.IsA(UsdSkel.Skeleton)))
    query = cache.GetSkelQuery(skeleton).GetAnimQuery()
    assert list(query.GetBlendShapeOrder()) == ["beak", "lid_left"]
    for f in (0, 7, 29):
        said = list(query.ComputeBlendShapeWeights(Usd.TimeCode(f)))
        assert said == pytest.approx([t.values[f] for t in clip.tracks], abs=1e-6)


def test_thinned_clips_have_few_keys_and_read_back_the_same(tmp_path: Path, deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk to the landing"]
    thin = apply(make("key-reduction", degrees=0.5, mm=2.0), walk, deckhand_rig)
    whole, few = write_gltf([walk], deckhand_rig), write_gltf([thin], deckhand_rig)
    assert len(few) < 0.65 * len(whole)
    (tmp_path / "few.glb").write_bytes(few)
    back = read(tmp_path / "few.glb").clips[0]
    assert back.frames == walk.frames and back.rate == walk.rate
    order = [back.skeleton.index[n] for n in thin.skeleton.names]
    assert np.abs(back.model[1][:, order] - thin.model[1]).max() < 2e-5


def test_sides_of_tracks_change_in_the_mirror(deckhand_clips, deckhand_rig) -> None:
    walk = replace(
        deckhand_clips["walk"],
        tracks=(Track("lid_left", np.ones(33)), Track("lid_right", np.zeros(33)), Track("brow_left", np.full(33, 0.5))),
    )
    out = {t.name: t.values[0] for t in apply(make("mirror"), walk, deckhand_rig).tracks}
    assert out == {"lid_left": 0.0, "lid_right": 1.0, "brow_left": 0.5}


@needs_node
def test_a_webgl_player_shapes_the_mesh_as_the_tracks_say_and_the_validator_is_content(tmp_path: Path) -> None:
    clip, rig = with_face()
    path = tmp_path / "call.glb"
    path.write_bytes(write_gltf([apply(make("trim", first=5, last=24), clip, rig)], rig))
    frames = (0, 7, 19)
    said = node("play.mjs", path, 0, json.dumps([f / clip.rate for f in frames]), "weights")
    for weights, f in zip(said, frames, strict=True):
        assert weights == pytest.approx([t.values[5 + f] for t in clip.tracks], abs=1e-5)
    issues = node("validate.mjs", path)[str(path)]
    assert issues["numErrors"] == 0 and issues["numWarnings"] == 0, issues["messages"]


def test_a_track_is_shaped_by_keys() -> None:
    clip, rig = with_face()
    out = apply(make("track", track="beak", how="replace", keys=[[0, 0.0], [10, 1.0], [20, 1.0], [29, 0.2]]), clip, rig)
    values = out.tracks[0].values
    assert values[[0, 10, 15, 29]] == pytest.approx([0, 1, 1, 0.2]) and values.max() <= 1.0
    more = apply(make("track", track="brow", keys=[[5, 0.5]]), clip, rig)
    assert more.tracks[-1].name == "brow" and np.all(more.tracks[-1].values == 0.5)
    half = apply(msgspec.structs.replace(make("track", track="beak", keys=[[0, 1.0]]), weight=0.5), clip, rig)
    assert np.allclose(half.tracks[0].values, clip.tracks[0].values + 0.5)
    with pytest.raises(RecipeError, match="no track is chosen"):
        apply(make("track"), clip, rig)

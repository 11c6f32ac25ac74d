"""OpenUSD: our files in UsdSkel's own evaluation, files that we did not write, and bad ones.

Reference: the usd-core package (OpenUSD), which evaluates joints by itself from what stands in the file.
"""

from __future__ import annotations

import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel, Vt

from reflexa.cli import main
from reflexa.errors import ReadError
from reflexa.formats import encode, read
from reflexa.formats.imported import ReadOptions
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from tests.helpers import rigs
from tests.helpers.files import DATA


def evaluated(path: Path, frames: int) -> np.ndarray:
    """Joint positions ``(frames, joints, 3)`` in metres as UsdSkel computes them, joints in the file's order."""
    stage = Usd.Stage.Open(str(path))
    cache = UsdSkel.Cache()
    skel = next(UsdSkel.Skeleton(p) for p in stage.Traverse() if p.IsA(UsdSkel.Skeleton))
    root = UsdSkel.Root(skel.GetPrim().GetParent())
    cache.Populate(root, Usd.PrimDefaultPredicate)
    query = cache.GetSkelQuery(skel)
    world = np.array(UsdGeom.XformCache().GetLocalToWorldTransform(skel.GetPrim()))
    out = []
    for f in range(frames):
        m = np.array(query.ComputeJointSkelTransforms(Usd.TimeCode(f))) @ world
        out.append(m[:, 3, :3])
    return np.array(out) * UsdGeom.GetStageMetersPerUnit(stage)


@pytest.mark.parametrize("suffix", ["usda", "usdc"])
def test_usdskel_computes_our_positions(tmp_path: Path, suffix: str, deckhand_rig, deckhand_clips) -> None:
    """Within 1e-5 of body height (single precision in the file)."""
    for name, rig, clip in (
        ("deckhand", deckhand_rig, deckhand_clips["rope haul"]),
        ("made", rigs.rig(3, 2), rigs.clip(rigs.rig(3, 2), 3)),
    ):
        path = tmp_path / f"{name}.{suffix}"
        path.write_bytes(encode([clip], rig, suffix))
        found = evaluated(path, clip.frames)
        assert np.abs(found - clip.model[1]).max() < 1e-5 * max(rig.height, np.abs(clip.model[1]).max())


@pytest.mark.parametrize("suffix", ["usda", "usdc"])
def test_what_is_written_comes_back(tmp_path: Path, suffix: str, deckhand_rig, deckhand_clips) -> None:
    clips = [deckhand_clips["walk"], deckhand_clips["lantern idle"]]
    path = tmp_path / f"a.{suffix}"
    path.write_bytes(encode(clips, deckhand_rig, suffix))
    document = read(path)
    assert document.format == suffix and not document.warnings
    assert document.rig.key == deckhand_rig.key and document.frame.unit == "m"
    assert [c.name for c in document.clips] == ["walk", "lantern idle"]
    for clip, back in zip(clips, document.clips, strict=True):
        assert (back.frames, back.rate, back.loop, back.events) == (clip.frames, clip.rate, clip.loop, clip.events)
        assert np.abs(back.model[1] - clip.model[1]).max() < 1e-5


def test_names_that_usd_does_not_allow_survive(tmp_path: Path) -> None:
    rig = rigs.rig(2, 2)  # rig:arm.L
    path = tmp_path / "a.usda"
    path.write_bytes(encode([rigs.clip(rig, 2)], rig, "usda"))
    assert read(path).rig.skeleton.names == rig.skeleton.names
    stage = Usd.Stage.Open(str(path))
    tokens = stage.GetPrimAtPath("/Figure/Skeleton").GetAttribute("joints").Get()
    assert all(Sdf.Path.IsValidPathString(t) for t in tokens)


def foreign(path: Path, unit: float = 0.01, up: str = "Z", order: tuple[int, ...] = (0, 1, 2, 3)) -> None:
    """A file as another program might write it: Z up, centimetres, a placed root, joints in any order, partly animated."""
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, unit)
    stage.SetTimeCodesPerSecond(24)
    root = UsdSkel.Root.Define(stage, "/char")
    root.AddTranslateOp().Set(Gf.Vec3d(0, 0, 10))
    skel = UsdSkel.Skeleton.Define(stage, "/char/skel")
    tokens = ["hips", "hips/spine", "hips/leg_l", "hips/leg_r"]
    places = [(0, 0, 90), (0, 0, 20), (10, 0, -5), (-10, 0, -5)]
    local = [Gf.Matrix4d().SetTranslate(Gf.Vec3d(*p)) for p in places]
    skel.CreateJointsAttr(Vt.TokenArray([tokens[i] for i in order]))
    skel.CreateRestTransformsAttr(Vt.Matrix4dArray([local[i] for i in order]))
    animation = UsdSkel.Animation.Define(stage, "/char/anim")
    animation.CreateJointsAttr(["hips/spine"])
    for time, angle in ((10, 0), (12, 30), (14, 60)):
        q = Gf.Quatf(Gf.Rotation(Gf.Vec3d(0, 0, 1), angle).GetQuat())
        animation.CreateRotationsAttr().Set(Vt.QuatfArray([q]), time)
    animation.CreateTranslationsAttr().Set(Vt.Vec3fArray([Gf.Vec3f(0, 0, 20)]))
    animation.CreateScalesAttr().Set(Vt.Vec3hArray([Gf.Vec3h(1, 1, 1)]))
    UsdSkel.BindingAPI.Apply(skel.GetPrim()).CreateAnimationSourceRel().SetTargets(["/char/anim"])
    stage.Save()


@pytest.mark.parametrize("order", [(0, 1, 2, 3), (3, 1, 0, 2)])
def test_a_foreign_file_is_turned_scaled_and_sampled(tmp_path: Path, order) -> None:
    path = tmp_path / "char.usda"
    foreign(path, order=order)
    document = read(path)
    s = document.rig.skeleton
    clip = document.clips[0]
    assert document.frame.unit == "cm" and document.frame.up == "+Z" and document.frame.baked == ("/char",)
    assert s.rest_model[1][s.index["hips"]] == pytest.approx([0, 1.0, 0], abs=1e-6), (
        "90 cm in the skeleton, 10 cm above it"
    )
    assert (clip.frames, clip.rate) == (3, 12.0), "a sample every second time code of 24 a second"
    turn = quat.multiply(clip.model[0][2, s.index["spine"]], quat.conjugate(s.rest_model[0][s.index["spine"]]))
    assert np.degrees(quat.to_rotvec(turn)) == pytest.approx([0, 60, 0], abs=1e-3), "about Z there, about Y here"
    left = s.rest_model[1][s.index["leg_l"]] - s.rest_model[1][s.index["leg_r"]]
    assert left == pytest.approx([0.2, 0, 0], abs=1e-6)


def test_a_foreign_file_is_written_as_it_was(tmp_path: Path) -> None:
    path, out = tmp_path / "char.usda", tmp_path / "again.usda"
    foreign(path)
    document = read(path)
    out.write_bytes(encode(list(document.clips), document.rig, "usda", document))
    stage = Usd.Stage.Open(str(out))
    assert UsdGeom.GetStageUpAxis(stage) == "Z" and UsdGeom.GetStageMetersPerUnit(stage) == 0.01
    back = read(out)
    assert np.abs(back.clips[0].model[1] - document.clips[0].model[1]).max() < 1e-6
    assert np.abs(evaluated(out, 3)[..., 2] - document.clips[0].model[1][..., 1]).max() < 1e-5


def test_the_command_line_goes_to_usd_and_back(tmp_path: Path) -> None:
    from click.testing import CliRunner

    runner = CliRunner()
    source = str(DATA / "humanoid3d_walk.bvh")
    assert runner.invoke(main, ["convert", source, str(tmp_path / "w.usdc")]).exit_code == 0
    assert runner.invoke(main, ["convert", str(tmp_path / "w.usdc"), str(tmp_path / "w.bvh")]).exit_code == 0
    a, b = read(DATA / "humanoid3d_walk.bvh").clips[0], read(tmp_path / "w.bvh", ReadOptions(1.0)).clips[0]
    assert np.abs(a.model[1] - b.model[1]).max() < 1e-5
    ours = read(tmp_path / "w.usdc")
    assert isinstance(ours.clips[0], Clip) and ours.rig.body_map == read(DATA / "humanoid3d_walk.bvh").rig.body_map


BAD = [b"", b"#usda 1.0\n(", b"PXR-USDC" + bytes(40), b"\xff" * 200, b'#usda 1.0\ndef Xform "a" {}\n']


@pytest.mark.parametrize("content", BAD)
@pytest.mark.parametrize("suffix", [".usda", ".usdc", ".usd"])
def test_bad_files_are_told_in_words(tmp_path: Path, content: bytes, suffix: str) -> None:
    path = tmp_path / f"bad{suffix}"
    path.write_bytes(content)
    with pytest.raises(ReadError) as e:
        read(path)
    assert "bad" in str(e.value)


def test_truncated_and_scrambled_binaries_never_get_through(tmp_path: Path) -> None:
    rig = rigs.rig(1)
    whole = encode([rigs.clip(rig, 1)], rig, "usdc")
    rng = np.random.default_rng(0)
    for i in range(24):
        data = bytearray(whole[: int(len(whole) * rng.uniform(0.05, 1))] if i % 2 else whole)
        for _ in range(int(rng.integers(1, 30))):
            data[int(rng.integers(8, len(data)))] = int(rng.integers(256))
        path = tmp_path / f"s{i}.usdc"
        path.write_bytes(bytes(data))
        try:
            read(path)
        except ReadError as e:
            assert e.path and e.reason


def test_a_file_that_leads_outside_its_folder_is_refused(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    path = tmp_path / "in" / "a.usda"
    path.write_text("#usda 1.0\n(\n    subLayers = [@../other.usda@]\n)\n")
    (tmp_path / "other.usda").write_text("#usda 1.0\n")
    with pytest.raises(ReadError, match="outside its folder"):
        read(path)


def test_reading_in_many_threads_leaves_the_hook_for_errors_as_it_was(tmp_path: Path) -> None:
    """Overlapping reads put their own hook in and take it out again; what others raise meanwhile is not swallowed."""
    rig = rigs.rig(2)
    path = tmp_path / "a.usda"
    path.write_bytes(encode([rigs.clip(rig, 2)], rig, "usda"))
    before = sys.excepthook
    with ThreadPoolExecutor(6) as pool:
        found = list(pool.map(lambda _: read(path).clips[0].frames, range(12)))
    assert found == [7] * 12 and sys.excepthook is before

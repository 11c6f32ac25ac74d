"""What readers and writers say and keep at the edges: no numbers, files that change, times and axes of stages."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom, UsdSkel

from reflexa.errors import ReadError, WriteError
from reflexa.formats import FORMATS, encode, read, registry
from reflexa.formats.files import digest
from reflexa.formats.imported import ReadOptions
from reflexa.motion.clip import Clip
from reflexa.output.manifest import Origin, Target
from reflexa.output.write import write
from reflexa.rig import Rig
from tests.helpers.files import DATA, DECKHAND

HEAD = """HIERARCHY
ROOT hips
{
  OFFSET 3 92 -4
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT spine
  {
    OFFSET 0 50 0
    CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 30 0
    }
  }
}
MOTION
"""


def adding(path: Path, frames: int = 4) -> Path:
    """A BVH whose position channels add to offsets that are none of them zero."""
    rows = [f"{i} {0.5 * i} 1 10 20 {3 * i} 0.5 -1 {0.1 * i} 5 6 7" for i in range(frames)]
    path.write_text(HEAD + f"Frames: {frames}\nFrame Time: 0.0333333\n" + "\n".join(rows) + "\n")
    return path


def test_channels_that_add_to_an_offset_are_written_like_the_source(tmp_path: Path) -> None:
    source = read(adding(tmp_path / "a.bvh"))
    (said,) = [w for w in source.warnings if "offset" in w]
    assert "'hips', 'spine'" in said and "add to" in said, "one line for all joints"
    proof = write(list(source.clips), source.rig, Target(tmp_path / "out/a.bvh", "bvh"), Origin(source))
    assert proof.error_mm < 0.01
    again = read(tmp_path / "out/a.bvh")
    assert again.layout.replaces == source.layout.replaces  # type: ignore[attr-defined]
    assert np.abs(again.clips[0].translations - source.clips[0].translations).max() < 1e-6


@pytest.mark.parametrize("name", [f.name for f in FORMATS.values() if f.encode is not None])
@pytest.mark.parametrize("what", ["rotations", "translations"])
def test_no_file_holds_what_is_no_number(
    name: str, what: str, deckhand_rig: Rig, deckhand_clips, tmp_path: Path
) -> None:
    clip = deckhand_clips["lantern idle"]
    values = np.array(getattr(clip, what))
    values[7, 3, 0] = np.nan
    bad = replace(clip, **{what: values})
    with pytest.raises(WriteError, match=rf"{what[:-1]} of {clip.skeleton.names[3]} at frame 7 is not a number"):
        write([bad], deckhand_rig, Target(tmp_path / f"a.{name}", name))
    assert not list(tmp_path.iterdir())


def test_a_source_that_changes_while_it_is_read_has_no_others_digest(tmp_path: Path, monkeypatch) -> None:
    path = tmp_path / "a.bvh"
    shutil.copy(DATA / "humanoid3d_walk.bvh", path)
    real, times = registry.FORMATS["bvh"].read, list[int]()

    def changed_once(p: Path, options: ReadOptions):
        found = real(p, options)
        times.append(1)
        if len(times) == 1:
            shutil.copy(DATA / "humanoid3d_run.bvh", p)
        return found

    monkeypatch.setitem(registry.FORMATS, "bvh", replace(registry.FORMATS["bvh"], read=changed_once))
    found = read(path)
    assert len(times) == 2 and found.sha256 == digest(DATA / "humanoid3d_run.bvh"), "it is read again"

    def changes(p: Path, options: ReadOptions):
        found = real(p, options)
        p.write_bytes(p.read_bytes() + b"\n")
        return found

    monkeypatch.setitem(registry.FORMATS, "bvh", replace(registry.FORMATS["bvh"], read=changes))
    with pytest.raises(ReadError, match="changed while it was read"):
        list(read(path).clips)


@pytest.mark.parametrize(("scale", "said"), [(1.0, ""), (300.0, "high"), (0.001, "high")])
def test_heights_that_no_figure_has_are_told(
    scale: float, said: str, tmp_path: Path, deckhand_rig, deckhand_clips
) -> None:
    path = tmp_path / "a.usda"
    path.write_bytes(encode([deckhand_clips["lantern idle"].cut(0, 2)], deckhand_rig, "usda"))
    text = path.read_text().replace("metersPerUnit = 1", f"metersPerUnit = {scale:g}")
    path.write_text(text)
    told = [w for w in read(path).warnings if "is the unit of the file" in w]
    assert bool(told) == bool(said)


# Stages ---------------------------------------------------------------------------------------------------------


def shot(path: Path, clip: Clip, rig: Rig, up: str = "Y", codes: float = 24.0, first: float = 1001.0) -> Path:
    """A stage as a film's pipeline makes them: frames from 1001 on, in so many time codes a second, perhaps +Z up."""
    path.write_bytes(encode([clip], rig, "usda"))
    stage = Usd.Stage.Open(str(path))
    animation = next(UsdSkel.Animation(p) for p in stage.Traverse() if p.IsA(UsdSkel.Animation))
    animation.GetPrim().ClearCustomData()
    for a in (animation.GetRotationsAttr(), animation.GetTranslationsAttr(), animation.GetScalesAttr()):
        values = [(t, a.Get(t)) for t in a.GetTimeSamples()]
        if values:
            a.Clear()
        for t, v in values:
            a.Set(v, first + t)
    stage.SetTimeCodesPerSecond(codes)
    stage.SetFramesPerSecond(codes)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(first + clip.frames - 1)
    if up == "Z":
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        root = UsdGeom.Xformable(stage.GetPrimAtPath("/Figure"))
        root.AddRotateXOp().Set(90.0)
    stage.GetRootLayer().Save()
    return path


def times(path: Path) -> tuple[float, float, float, list[float]]:
    stage = Usd.Stage.Open(str(path))
    animation = next(UsdSkel.Animation(p) for p in stage.Traverse() if p.IsA(UsdSkel.Animation))
    samples = animation.GetRotationsAttr().GetTimeSamples()
    return stage.GetTimeCodesPerSecond(), stage.GetStartTimeCode(), stage.GetEndTimeCode(), [samples[0], samples[-1]]


def test_a_stage_keeps_its_time_codes(tmp_path: Path, deckhand_rig: Rig, deckhand_clips) -> None:
    clip = deckhand_clips["lantern idle"].cut(0, 24)
    source = read(shot(tmp_path / "shot.usda", clip, deckhand_rig))
    assert source.clips[0].rate == 24 and source.clips[0].frames == 25
    write(list(source.clips), source.rig, Target(tmp_path / "out.usda", "usda"), Origin(source))
    assert times(tmp_path / "out.usda") == (24.0, 1001.0, 1025.0, [1001.0, 1025.0])
    back = read(tmp_path / "out.usda").clips[0]
    assert np.abs(back.model[1] - source.clips[0].model[1]).max() < 1e-5
    other = replace(source.clips[0], rate=30.0)
    write([other], source.rig, Target(tmp_path / "faster.usda", "usda"), Origin(source))
    assert (
        times(tmp_path / "faster.usda")[:3] == (30.0, 1001.0, 1025.0)
        and read(tmp_path / "faster.usda").clips[0].rate == 30
    )


def test_the_facing_of_a_stage_is_said_and_told_in_its_own_axes(
    tmp_path: Path, deckhand_rig: Rig, deckhand_clips
) -> None:
    """+Z up after a turn about x by 90°: what faced +Z faces -Y."""
    clip = deckhand_clips["lantern idle"].cut(0, 4)
    path = shot(tmp_path / "z.usda", clip, deckhand_rig, up="Z")
    found = read(path)
    assert (found.frame.up, found.frame.facing) == ("+Z", "-Y")
    told = read(path, ReadOptions(facing="+X"))
    assert told.frame.facing == "+X"
    assert np.abs(found.clips[0].model[1][..., 1].min() - clip.model[1][..., 1].min()) < 1e-4, "it stands upright"


def test_errors_of_nodes_name_file_and_node(tmp_path: Path) -> None:
    from reflexa.formats.gltf.container import load, to_glb

    file = load(DECKHAND)
    roots = file.json["scenes"][0]["nodes"]
    joint = file.json["skins"][0]["joints"][0]
    file.json["nodes"].append({"name": "the quay", "scale": [-1, -1, -1], "children": [joint]})
    file.json["scenes"][0]["nodes"] = [len(file.json["nodes"]) - 1, *(r for r in roots if r != joint)]
    path = tmp_path / "a.glb"
    path.write_bytes(to_glb(file.json, file.buffers[0]))
    with pytest.raises(ReadError, match="the quay") as found:
        list(read(path).clips)
    assert found.value.path == str(path) and found.value.place == "the quay"

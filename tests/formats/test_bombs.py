"""Small files that would cost much are refused in words, before they do."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path

import pytest

from reflexa.errors import ReadError
from reflexa.formats import encode, read
from reflexa.formats.gltf.container import load, to_glb
from tests.helpers.files import DATA


def test_animations_that_share_their_keys_are_bounded(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    walk = read(DATA / "humanoid3d_walk.bvh")
    (tmp_path / "walk.glb").write_bytes(encode(walk.clips, walk.rig, "glb"))
    file = load(tmp_path / "walk.glb")
    one = file.json["animations"][0]
    file.json["animations"] = [{**one, "name": f"wave {i}"} for i in range(6000)]
    (tmp_path / "a.glb").write_bytes(to_glb(file.json, file.buffers[0]))
    monkeypatch.setattr(import_module("reflexa.formats.gltf.read"), "plan", None)  # counted, not decoded
    with pytest.raises(ReadError, match="6000 animations that would need more than"):
        read(tmp_path / "a.glb")


def test_a_bvh_that_lost_its_channels_is_refused(tmp_path: Path) -> None:
    """Sixty joints, of whose channels only one is left: every number would be a frame."""
    joints = "".join(f"JOINT j{i}\n{{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n" for i in range(60))
    head = f"HIERARCHY\nROOT hips\n{{\nOFFSET 0 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n{joints}{'}' * 61}\nMOTION\n"
    rows = "\n".join(" ".join(["0.5"] * 183) for _ in range(300))
    lost = head.replace("CHANNELS 3 Zrotation Xrotation Yrotation\n", "", 60)
    (tmp_path / "a.bvh").write_text(f"{lost}Frames: 300\nFrame Time: 0.033\n{rows}\n")
    with pytest.raises(ReadError, match="declares 300 frames and contains numbers for 18,300 of 3 channels"):
        read(tmp_path / "a.bvh")
    (tmp_path / "b.bvh").write_text(f"{head}Frames: 300\nFrame Time: 0.033\n{rows}\n")
    assert read(tmp_path / "b.bvh").clips[0].frames == 300
    assert read(DATA / "humanoid3d_walk.bvh").clips[0].frames == 39

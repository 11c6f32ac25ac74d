"""Converting: names of files by any case, units that are told, and what the manifest says of them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from reflexa.formats import ReadOptions, read
from tests.helpers.commands import run
from tests.helpers.files import DATA

WALK = DATA / "humanoid3d_walk.bvh"


@pytest.mark.parametrize("name", ["out.bvh", "OUT.BVH", "Out.Bvh"])
@pytest.mark.parametrize("unit,size", [("m", 1.0), ("dm", 0.1), ("cm", 0.01), ("in", 0.0254)])
def test_names_of_any_case_and_told_units(tmp_path: Path, name: str, unit: str, size: float) -> None:
    status, _, err = run("convert", WALK, tmp_path / name, "--frame", "clean", "--units", unit)
    assert status == 0, err
    back = read(tmp_path / name, ReadOptions(unit=size)).clips[0]
    source = read(WALK).clips[0]
    assert np.abs(back.model[1] - source.model[1]).max() < 1e-5
    manifest = json.loads((tmp_path / f"{name}.clip.json").read_text())
    assert manifest["unit"] == unit


def test_two_clips_are_compared_in_numbers(tmp_path: Path) -> None:
    walk = DATA / "humanoid3d_walk.bvh"
    assert run("diff", walk, walk)[0] == 0
    status, *_ = run("apply", walk, "--step", "trim:last=20", "--out", tmp_path)
    assert status == 0
    status, said, _ = run("diff", walk, tmp_path / "humanoid3d_walk.bvh", "--json")
    plain = json.loads(said)
    assert status == 1 and plain["frames"] == [39, 21] and plain["differs"]
    assert max(j["move"] for j in plain["joints"]) < 0.1, "frames that both have are the same"
    status, *_ = run("apply", walk, "--step", "mirror", "--out", tmp_path / "m")
    status, said, _ = run("diff", walk, tmp_path / "m" / "humanoid3d_walk.bvh")
    assert status == 1 and "at frame" in said

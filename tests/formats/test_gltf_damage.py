"""Damaged glTF: whatever is in a file, the answer is a typed error that says where."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError
from reflexa.formats import read
from tests.helpers.files import DATA


@pytest.mark.parametrize("seed", range(40))
def test_flipped_and_cut_bytes_never_end_in_a_traceback(tmp_path: Path, seed: int) -> None:
    rng = np.random.default_rng(seed)
    source = ["RiggedSimple.glb", "interp_mix.glb", "humanoid3d_walk.bvh", "simple_skin.gltf"][seed % 4]
    data = bytearray((DATA / source).read_bytes())
    for _ in range(rng.integers(1, 30)):
        data[rng.integers(len(data))] = rng.integers(256)
    if seed % 3 == 0:
        data = data[: rng.integers(len(data))]
    path = tmp_path / f"f{Path(source).suffix}"
    path.write_bytes(bytes(data))
    try:
        read(path)
    except ReadError as e:
        assert e.path and e.reason


@pytest.mark.parametrize(
    ("change", "place"),
    [
        (lambda j: j["nodes"][0].update(children="x"), "nodes[0].children"),
        (lambda j: j["nodes"][1].update(rotation=[0, 0, "a", 1]), "nodes[1].rotation[2]"),
        (lambda j: j["accessors"][0].update(count=None), "accessors[0].count"),
        (lambda j: j["accessors"][0].update(count=3.5), "accessors[0].count"),
        (lambda j: j["animations"][0]["channels"][0].update(target=[]), "animations[0].channels[0].target"),
        (lambda j: j["buffers"][0].update(uri="a\0b"), "buffers[0].uri"),
        (
            lambda j: j["meshes"][0]["primitives"][0].update(attributes={"POSITION": {}}),
            "meshes[0].primitives[0].attributes.POSITION",
        ),
        (lambda j: j.update(nodes={}), "nodes"),
    ],
)
def test_a_value_of_the_wrong_kind_is_named_with_its_place(change, place: str, tmp_path: Path) -> None:
    json_ = json.loads((DATA / "simple_skin.gltf").read_text())
    change(json_)
    path = tmp_path / "a.gltf"
    path.write_text(json.dumps(json_))
    with pytest.raises(ReadError) as e:
        list(read(path).clips)
    assert e.value.place == place

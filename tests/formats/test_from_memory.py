"""Clip files are read from bytes as from a path: archives, network shares, tests."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError
from reflexa.formats import FORMATS, encode, read, read_from
from tests.formats.test_asf_amc import ARM, HEAD, pair
from tests.helpers.files import DATA

WALK = DATA / "humanoid3d_walk.bvh"
MOTION = ":FULLY-SPECIFIED\n:DEGREES\n1\nroot 0 1 0 0 0 0\nlhumerus 0 0 0\nlradius 0\n"


@pytest.mark.parametrize("name", [f.name for f in FORMATS.values() if f.encode is not None])
def test_bytes_read_as_their_file_does(name: str, tmp_path: Path) -> None:
    document = read(WALK)
    path = tmp_path / f"walk{FORMATS[name].suffix}"
    path.write_bytes(encode(list(document.clips), document.rig, name))
    there, held = read(path), read_from(f"set/{path.name}", path.read_bytes())
    assert held.path == Path("set") / path.name and held.sha256 == there.sha256
    for a, b in zip(there.clips, held.clips, strict=True):
        assert a.name == b.name and np.array_equal(a.rotations, b.rotations)


def test_a_file_in_an_archive_brings_what_belongs_to_it(tmp_path: Path) -> None:
    """A glTF in two files: the buffer is asked for by the name that the file has for it."""
    import json

    document = read(WALK)
    whole = json.loads(encode(list(document.clips), document.rig, "gltf"))
    import base64

    buffer = base64.b64decode(whole["buffers"][0]["uri"].partition(",")[2])
    whole["buffers"][0]["uri"] = "data/the%20walk.bin"
    with zipfile.ZipFile(tmp_path / "set.zip", "w") as archive:
        archive.writestr("walk.gltf", json.dumps(whole))
        archive.writestr("data/the walk.bin", buffer)
    with zipfile.ZipFile(tmp_path / "set.zip") as archive:
        asked: list[str] = []

        def resolve(name: str) -> bytes | None:
            asked.append(name)
            return archive.read(name) if name in archive.namelist() else None

        held = read_from("walk.gltf", archive.read("walk.gltf"), resolve=resolve)
    assert "data/the walk.bin" in asked and held.clips[0].frames == document.clips[0].frames
    with pytest.raises(ReadError) as failed:
        read_from("walk.gltf", json.dumps(whole).encode())
    assert "reflexa-" not in str(failed.value) and "walk.gltf" in str(failed.value)


def test_motion_in_an_archive_asks_for_its_skeleton(tmp_path: Path) -> None:
    amc = pair(tmp_path, HEAD + ARM, MOTION).name
    files = {p.name: p.read_bytes() for p in tmp_path.iterdir()}
    held = read_from(amc, files[amc], resolve=files.get)
    assert held.clips[0].frames == 1 and held.rig.skeleton.names[0] == "root"


@pytest.mark.parametrize("data", [b"", b"HIERARCHY", b"glTF\x02", b"#usda 1.0\n"])
@pytest.mark.parametrize("name", ["a.bvh", "a.glb", "a.usda"])
def test_what_is_damaged_is_named_as_it_is_called(name: str, data: bytes) -> None:
    with pytest.raises(ReadError) as failed:
        read_from(name, data)
    assert str(failed.value).startswith(name) and "/tmp" not in str(failed.value)


def test_damage_in_a_text_layer_is_told_by_line_and_without_the_librarys_insides() -> None:
    with pytest.raises(ReadError) as failed:
        read_from("a.usda", b'#usda 1.0\ndef Xform "a" { double3 x = (1, 2) }')
    assert failed.value.place == "line 2, column 29"
    for data in (b"#usda 1.0\n{", b"HIERARCHY", b"PXR-USDC" + b"x" * 80):
        with pytest.raises(ReadError) as failed:
            read_from("a.usda", data)
        assert not any(word in str(failed.value) for word in ("pxr", "::", "/opt", ".cpp"))

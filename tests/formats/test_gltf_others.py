"""glTF that others split by node, branches that stand still, and what a clip written alone leaves behind."""

from __future__ import annotations

import json
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError, RecipeError
from reflexa.formats import encode, read
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.container import load, to_glb
from reflexa.formats.gltf.packing import image_type, named_accessors
from reflexa.formats.gltf.write_animation import unit_rotations
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import apply, make
from reflexa.take.clips import ClipsByName
from tests.formats.test_gltf import made
from tests.helpers import rigs
from tests.helpers.files import DECKHAND


def split_by_node(clip: Clip, rig: Rig, path: Path) -> None:
    """A clip as a tool writes it that makes an animation of every node."""
    path.write_bytes(encode([clip], rig, "glb"))
    file = load(path)
    (one,) = file.items("animations")
    by_node: dict[int, dict] = {}
    for c in one["channels"]:
        own = by_node.setdefault(
            c["target"]["node"], {"name": f"wave_{c['target']['node']}", "channels": [], "samplers": []}
        )
        own["channels"].append({**c, "sampler": len(own["samplers"])})
        own["samplers"].append(one["samplers"][c["sampler"]])
    file.json["animations"] = list(by_node.values())
    path.write_bytes(to_glb(file.json, file.buffers[0]))


def test_animations_of_one_node_each_over_the_same_time_are_one_clip(tmp_path: Path) -> None:
    rig = rigs.rig(1, 1)
    clip = rigs.clip(rig, 1, 30)
    (tmp_path / "one.glb").write_bytes(encode([clip], rig, "glb"))
    clip = read(tmp_path / "one.glb").clips[0]
    split_by_node(rigs.clip(rig, 1, 30), rig, tmp_path / "split.glb")
    found = read(tmp_path / "split.glb")
    assert len(found.clips) == 1 and found.clips[0].name == "wave" and any("one clip" in w for w in found.warnings)
    assert np.abs(found.clips[0].model[1] - clip.model[1]).max() < 1e-5
    mirrored = apply(make("mirror"), found.clips[0], found.rig)
    (tmp_path / "out.glb").write_bytes(encode([mirrored], found.rig, "glb", found))
    again = read(tmp_path / "out.glb")
    assert len(again.clips) == 1 and np.abs(again.clips[0].model[1] - mirrored.model[1]).max() < 1e-5


def test_a_branch_that_stands_still_comes_back_too(tmp_path: Path) -> None:
    """A figure without a skin whose root and a mark beside it never move: nothing but what is animated tells the joints."""
    rig = rigs.rig(2, 1, extras=True)
    clip = rigs.clip(rig, 2, 10)
    still = np.array(clip.rotations)
    only = rig.joint("left forearm")
    others = [j for j in range(len(rig.skeleton)) if j != only]
    still[:, others] = rig.skeleton.rest_rotations[others]
    clip = clip.with_motion(still, np.tile(rig.skeleton.rest_translations, (10, 1, 1)))
    (tmp_path / "a.glb").write_bytes(encode([clip], rig, "glb"))
    assert set(read(tmp_path / "a.glb").rig.skeleton.names) == set(rig.skeleton.names)


def test_a_clip_written_alone_leaves_nothing_unused_behind(tmp_path: Path) -> None:
    source = read(DECKHAND)
    (tmp_path / "one.glb").write_bytes(encode([source.clips[0]], source.rig, "glb", source))
    (tmp_path / "new.glb").write_bytes(
        encode([apply(make("mirror"), source.clips[0], source.rig)], source.rig, "glb", source)
    )
    for name in ("one.glb", "new.glb"):
        file = load(tmp_path / name)
        used = named_accessors(file.json)
        assert len(file.items("accessors")) == len(used)
        assert read(tmp_path / name).clips[0].frames == source.clips[0].frames


@pytest.mark.long
def test_a_file_that_is_mirrored_again_and_again_stays_as_large(tmp_path: Path) -> None:
    """What a step makes needs other channels each time: data and entries of the time before must not stay."""
    at, sizes = DECKHAND, list[int]()
    for n in range(3):
        source = read(at)
        clips = [apply(make("mirror"), c, source.rig) for c in source.clips]
        at = tmp_path / f"{n}.glb"
        at.write_bytes(encode(clips, source.rig, "glb", source))
        sizes.append(at.stat().st_size)
        file = load(at)
        named = named_accessors(file.json)
        assert named == set(range(len(file.items("accessors"))))
        views = {a["bufferView"] for a in file.items("accessors")} | {i["bufferView"] for i in file.items("images")}
        assert views == set(range(len(file.items("bufferViews"))))
    assert max(sizes) < 1.02 * min(sizes)


def with_image(path: Path, **image: object) -> None:
    """The deckhand with an image."""
    file = load(DECKHAND)
    file.json["images"] = [image]
    path.write_bytes(to_glb(file.json, file.buffers[0]))


def test_a_missing_image_keeps_its_address_and_is_told(tmp_path: Path) -> None:
    with_image(tmp_path / "a.glb", uri="cloth%20blue.png")
    source = read(tmp_path / "a.glb")
    assert any("cloth%20blue.png" in w and "missing" in w for w in source.warnings)
    mirrored = apply(make("mirror"), source.clips[0], source.rig)
    (tmp_path / "b.glb").write_bytes(encode([mirrored], source.rig, "glb", source))
    assert load(tmp_path / "b.glb").items("images") == [{"uri": "cloth%20blue.png"}]


def test_an_image_is_called_what_it_is(tmp_path: Path) -> None:
    """Media types of the IANA register; a file's first bytes tell, not its name."""
    (tmp_path / "cloth.png").write_bytes(b"RIFF\x10\0\0\0WEBPVP8 ")
    with_image(tmp_path / "a.glb", uri="cloth.png")
    source = read(tmp_path / "a.glb")
    (tmp_path / "b.glb").write_bytes(encode(list(source.clips), source.rig, "glb", source))
    (image,) = load(tmp_path / "b.glb").items("images")
    assert image["mimeType"] == "image/webp" and "uri" not in image
    assert image_type(b"\xff\xd8\xff\xe0", "a.png") == "image/jpeg" and image_type(b"", "a.JPG") == "image/jpeg"


def test_numbers_that_an_unknown_extension_may_name_stay(tmp_path: Path) -> None:
    file = load(DECKHAND)
    last = len(file.items("accessors")) - 1
    file.json["extensions"] = {"FERRY_ropes": {"points": last}}
    values = accessors.read(file, last, "here")
    (tmp_path / "a.glb").write_bytes(to_glb(file.json, file.buffers[0]))
    source = read(tmp_path / "a.glb")
    (tmp_path / "b.glb").write_bytes(encode([source.clips[0]], source.rig, "glb", source))
    again = load(tmp_path / "b.glb")
    assert again.json["extensions"]["FERRY_ropes"]["points"] == last
    assert np.array_equal(accessors.read(again, last, "here"), values)
    assert read(tmp_path / "b.glb").clips[0].frames == source.clips[0].frames


def test_a_chunk_filled_up_with_zeros_is_read(tmp_path: Path) -> None:
    data = bytearray(DECKHAND.read_bytes())
    length = int.from_bytes(data[12:16], "little")
    data[20 + length : 20 + length] = b"\0" * 4
    data[12:16] = (length + 4).to_bytes(4, "little")
    data[8:12] = len(data).to_bytes(4, "little")
    (tmp_path / "a.glb").write_bytes(data)
    assert len(read(tmp_path / "a.glb").clips) == len(read(DECKHAND).clips)


def test_rotations_have_no_component_beyond_one() -> None:
    """Rounded to float64 the longest of a unit quaternion may be 1.0000000000000002, which validators refuse."""
    q = np.array([[1.0000000000000002, 0.0, 0.0, 0.0], [0.6, 0.8000000000000002, 0.0, 0.0]])
    assert np.abs(unit_rotations(q)).max() <= 1 and np.allclose(
        np.linalg.norm(unit_rotations(q), axis=-1), 1, atol=1e-15
    )


def test_a_clip_is_decoded_when_somebody_looks_at_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    json_, data = made()
    json_["animations"] = [{**json_["animations"][0], "name": f"clip {i}"} for i in range(40)]
    broken = json.loads(json.dumps(json_["animations"][7]))
    broken["samplers"][0]["output"] = 999
    json_["animations"][7] = broken
    path = tmp_path / "many.glb"
    path.write_bytes(to_glb(json_, data))
    asked: list[str] = []
    reader = import_module("reflexa.formats.gltf.read")
    really = reader.decode
    monkeypatch.setattr(
        reader, "decode", lambda file, planned, *more: asked.append(planned.name) or really(file, planned, *more)
    )
    found = read(path)
    assert found.clips.names[:2] == ("clip 0", "clip 1") and len(found.clips.heads) == 40 and not asked
    one = found.clips.named("clip 3")
    assert asked == ["clip 3"] and one is found.clip("clip 3") and asked == ["clip 3"], "decoded once"
    assert (one.frames, one.rate) == (found.clips.heads[3].frames, found.clips.heads[3].rate)
    for _ in range(2):  # one that is damaged costs itself, at each look
        with pytest.raises(ReadError, match=r"many\.glb"):
            found.clips[7]
    known = ClipsByName({"many.glb": (found.clips, found.rig)})
    assert "many.glb/clip 7" in known and known["many.glb/clip 39"][0].name == "clip 39"
    with pytest.raises(RecipeError, match=r"clip 7.*cannot be read"):
        known["many.glb/clip 7"]

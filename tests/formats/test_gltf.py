"""glTF 2.0: reading what others write, writing what outside judges accept."""

from __future__ import annotations

import base64
import copy
import json
import shutil
import struct
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError
from reflexa.formats import WriteOptions, encode, read
from reflexa.formats.gltf.container import load, to_glb
from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event
from reflexa.rig import analyse
from reflexa.steps import apply, make
from tests.helpers import rigs
from tests.helpers.files import DATA, DECKHAND, NODE

needs_node = pytest.mark.skipif(
    shutil.which("node") is None or not (NODE / "node_modules").exists(), reason="Node.js or its packages are missing"
)


def node(script: str, *args: object) -> object:
    done = subprocess.run(["node", NODE / script, *map(str, args)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    return json.loads(done.stdout)


# Made files -------------------------------------------------------------------------------------------------


def made(
    times: list[float] = [0.0, 0.5, 1.0], *, how: str = "LINEAR", component: int = 5126, normalised: bool = False,  # noqa: B006
    values: np.ndarray | None = None, path: str = "rotation", parent: dict | None = None, sparse: bool = False,
) -> tuple[dict, bytes]:  # fmt: skip
    """A two-joint file with one animation; JSON and binary."""
    if values is None:
        values = quat.about(0, np.linspace(0, 1.5, len(times)))
    dtype = {5126: "<f4", 5122: "<i2", 5120: "i1"}[component]
    body = np.ascontiguousarray(
        values if component == 5126 else np.round(values * np.iinfo(dtype).max), dtype
    ).tobytes()
    data = np.array(times, "<f4").tobytes() + body
    kind = {4: "VEC4", 3: "VEC3"}[values.shape[-1]]
    out = {
        "asset": {"version": "2.0"},
        "nodes": [{"name": "a", "children": [1]}, {"name": "b", "translation": [0, 1, 0]}],
        "scenes": [{"nodes": [0]}],
        "buffers": [{"byteLength": len(data)}],
        "bufferViews": [
            {"buffer": 0, "byteLength": 4 * len(times)},
            {"buffer": 0, "byteOffset": 4 * len(times), "byteLength": len(body)},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(times), "type": "SCALAR"},
            {"bufferView": 1, "componentType": component, "count": len(values.reshape(-1, values.shape[-1])), "type": kind,
             "normalized": normalised},
        ],
        "animations": [{
            "samplers": [{"input": 0, "output": 1, "interpolation": how}],
            "channels": [{"sampler": 0, "target": {"node": 0, "path": path}}],
        }],
    }  # fmt: skip
    if sparse:
        extra = np.array([1], "<u2").tobytes() + b"\0\0" + np.array([0, 0, 0, 1], "<f4").tobytes()
        out["bufferViews"] += [
            {"buffer": 0, "byteOffset": len(data), "byteLength": 2}, {"buffer": 0, "byteOffset": len(data) + 4, "byteLength": 16},
        ]  # fmt: skip
        out["accessors"][1]["sparse"] = {
            "count": 1, "indices": {"bufferView": 2, "componentType": 5123}, "values": {"bufferView": 3},
        }  # fmt: skip
        data += extra
    if parent is not None:
        out["nodes"].append({"name": "parent", "children": [0], **parent})
        out["scenes"] = [{"nodes": [2]}]
    return out, data


def read_made(tmp_path: Path, json_: dict, data: bytes, name: str = "a.glb"):
    path = tmp_path / name
    path.write_bytes(to_glb(json_, data))
    return read(path)


@pytest.mark.parametrize(("component", "within"), [(5126, 1e-6), (5122, 1e-4), (5120, 1e-2)])
def test_normalised_integers(tmp_path: Path, component: int, within: float) -> None:
    clip = read_made(tmp_path, *made(component=component, normalised=component != 5126)).clips[0]
    assert np.degrees(quat.angle(clip.rotations[-1, 0])) == pytest.approx(np.degrees(1.5), abs=np.degrees(within))
    assert np.allclose(np.linalg.norm(clip.rotations, axis=-1), 1)


def test_keys_that_do_not_start_at_zero_begin_the_clip(tmp_path: Path) -> None:
    document = read_made(tmp_path, *made([2.0, 2.5, 3.0]))
    assert document.clips[0].frames == 31 and any("start at 2.000 s" in w for w in document.warnings)


def test_steps_hold_and_sparse_values_replace(tmp_path: Path) -> None:
    clip = read_made(tmp_path, *made(how="STEP")).clips[0]
    assert clip.stepped and np.array_equal(clip.rotations[0], clip.rotations[14]) and clip.frames == 31
    clip = read_made(tmp_path, *made(sparse=True)).clips[0]
    assert quat.angle(clip.rotations[15, 0]) == 0 and quat.angle(clip.rotations[30, 0]) > 1


def test_non_unit_quaternions_are_made_unit(tmp_path: Path) -> None:
    clip = read_made(tmp_path, *made(values=quat.about(1, np.array([0, 0.4, 0.8])) * 3)).clips[0]
    assert np.allclose(np.linalg.norm(clip.rotations, axis=-1), 1) and quat.angle(
        clip.rotations[-1, 0]
    ) == pytest.approx(0.8)


@pytest.mark.parametrize("as_matrix", [False, True])
def test_scaled_and_rotated_parents_are_taken_in_and_put_back(tmp_path: Path, as_matrix: bool) -> None:
    parent = {"rotation": quat.about(0, -np.pi / 2).tolist(), "scale": [0.01] * 3, "translation": [1, 2, 3]}
    if as_matrix:
        m = np.eye(4)
        m[:3, :3] = quat.to_matrix(parent["rotation"]) * 0.01
        m[:3, 3] = [1, 2, 3]
        parent = {"matrix": m.T.ravel().tolist()}
    json_, data = made(parent=parent)
    document = read_made(tmp_path, json_, data)
    assert document.frame.baked == ("parent",)
    assert np.allclose(document.rig.skeleton.rest_model[1], [[1, 2, 3], [1, 2, 3 - 0.01]], atol=1e-6)
    turned = apply(make("mirror"), document.clips[0], document.rig)
    out = encode([turned], document.rig, "glb", document)
    (tmp_path / "b.glb").write_bytes(out)
    again = read(tmp_path / "b.glb")
    assert np.abs(again.clips[0].model[1] - turned.model[1]).max() < 1e-6
    kept = load(tmp_path / "b.glb").json["nodes"]
    assert kept == json.loads(json.dumps(json_["nodes"])), "nodes are the source's"


def test_unnamed_nodes_several_animations_and_data_uris(tmp_path: Path) -> None:
    json_, data = made()
    for n in json_["nodes"]:
        del n["name"]
    json_["animations"].append({**copy.deepcopy(json_["animations"][0]), "name": "second"})
    json_["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    path = tmp_path / "a.gltf"
    path.write_text(json.dumps(json_))
    document = read(path)
    assert document.rig.skeleton.names == ("node 0", "node 1") and [c.name for c in document.clips] == ["a", "second"]


def test_real_files_of_others() -> None:
    simple = read(DATA / "RiggedSimple.glb")
    assert len(simple.clips) == 1, "two animations of one joint each, over the same time"
    assert simple.clips[0].rate == 24 and simple.frame.baked and simple.rig.meshes
    text = read(DATA / "RiggedSimple.gltf")
    assert np.allclose(text.clips[0].model[1], simple.clips[0].model[1], atol=1e-12)
    assert read(DATA / "simple_skin.gltf").rig.meshes[0].weights.sum() == pytest.approx(10)
    hand = read(DATA / "hand_left.glb")
    assert len(hand.rig.skeleton) == 29 and not hand.clips and hand.rig.height < 0.3
    mixed = read(DATA / "interp_mix.glb")
    assert any("mixes interpolations" in w for w in mixed.warnings)


@pytest.mark.parametrize("name", ["RiggedSimple.glb", "RiggedSimple.gltf", "simple_skin.gltf", "interp_mix.glb"])
def test_writing_without_a_change_keeps_every_sampler(name: str, tmp_path: Path) -> None:
    document = read(DATA / name)
    (tmp_path / "b.glb").write_bytes(encode(list(document.clips), document.rig, "glb", document))
    a, b = load(DATA / name).json, load(tmp_path / "b.glb").json
    for key in ("nodes", "meshes", "skins", "materials", "scenes", "accessors"):
        assert a.get(key) == b.get(key), key
    assert [s for x in a["animations"] for s in x["samplers"]] == [s for x in b["animations"] for s in x["samplers"]]
    assert (
        max(
            np.abs(x.model[1] - y.model[1]).max()
            for x, y in zip(read(tmp_path / "b.glb").clips, document.clips, strict=True)
        )
        == 0
    )


def test_each_clip_of_many_is_written_alone_and_unchanged(tmp_path: Path) -> None:
    """Nothing new is stored then, while the data of all the others goes: the numbers of what stays must hold."""
    document = read(DECKHAND)
    for clip in document.clips[:3]:
        (tmp_path / "b.glb").write_bytes(encode([clip], document.rig, "glb", document))
        (back,) = read(tmp_path / "b.glb").clips
        assert np.array_equal(back.model[1], clip.model[1])
        out = load(tmp_path / "b.glb").json
        assert out["meshes"] == document.layout.file.json["meshes"] and len(out["animations"]) == 1


def test_a_changed_clip_keeps_meshes_materials_and_unknown_json(tmp_path: Path) -> None:
    source = load(DATA / "RiggedSimple.glb")
    json_ = {
        **source.json,
        "extensionsUsed": ["VENDOR_made_up"],
        "extensions": {"VENDOR_made_up": {"a": [1, {"b": 2}]}},
    }
    json_["nodes"] = [{**json_["nodes"][0], "extras": {"note": "kept"}}, *json_["nodes"][1:]]
    (tmp_path / "a.glb").write_bytes(to_glb(json_, source.buffers[0]))
    document = read(tmp_path / "a.glb")
    clip = document.clips[0]
    new = replace(clip, rotations=clip.rotations[::-1], loop=True, events=(Event(3, "step_left"),), play_rate=0.4)
    (tmp_path / "b.glb").write_bytes(encode([new], document.rig, "glb", document))
    out = load(tmp_path / "b.glb").json
    for key in ("nodes", "meshes", "skins", "materials", "extensions", "extensionsUsed"):
        assert out[key] == json.loads(json.dumps(json_[key])), key
    assert len(out["animations"]) == 1 and len(out["accessors"]) <= len(json_["accessors"]) + 1
    back = read(tmp_path / "b.glb").clips[0]
    assert (back.loop, back.events, back.play_rate) == (True, new.events, 0.4)
    assert np.abs(back.model[1] - new.model[1]).max() < 1e-6


# Outside judges ---------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def exports(tmp_path_factory) -> dict[str, tuple[Path, Clip, tuple[int, ...], float]]:
    """name → (file, clip, node of each joint, start time) of everything that we write."""
    folder = tmp_path_factory.mktemp("exports")
    out: dict[str, tuple[Path, Clip, tuple[int, ...], float]] = {}

    def put(name: str, clip: Clip, rig, source=None, frame: str = "source", nodes=None, start: float = 0.0) -> None:
        path = folder / f"{name}.glb"
        path.write_bytes(encode([clip], rig, "glb", source, WriteOptions(frame)))
        out[name] = (path, clip, nodes or tuple(range(len(clip.skeleton))), start)

    rig = rigs.rig(21)
    put("made", rigs.clip(rig, 22, 20, moving=True), rig)
    put("stepped", replace(rigs.clip(rig, 23, 9), stepped=True), rig)
    walk = read(DATA / "humanoid3d_walk.bvh")
    put("from bvh", apply(make("mirror"), walk.clips[0], walk.rig), walk.rig, walk)
    simple = read(DATA / "RiggedSimple.glb")
    turned = apply(make("mirror"), simple.clips[0], simple.rig)
    put(
        "into its source",
        turned,
        simple.rig,
        simple,
        nodes=simple.layout.nodes,
        start=simple.layout.starts[turned.name],
    )
    put("source, clean", turned, simple.rig, simple, "clean")
    from reflexa.demo import build as demo_build
    from reflexa.demo import clips, deckhand, deckhand_look

    skeleton = deckhand.skeleton()
    demo = read(Path(demo_build.__file__).with_name("project") / "sources" / "deckhand.glb")
    put("one of many, unchanged", demo.clips[1], demo.rig, demo, nodes=demo.layout.nodes)
    put("deckhand", clips.rope_haul(skeleton), analyse(skeleton, meshes=deckhand_look.meshes(skeleton)))
    return out


@needs_node
def test_the_public_validator_finds_no_error_and_no_warning(exports) -> None:
    reports = node("validate.mjs", *(e[0] for e in exports.values()))
    own = node("validate.mjs", DATA / "RiggedSimple.glb")
    excused = {m["code"] for r in own.values() for m in r["messages"]}  # what the source itself already has
    for path, report in reports.items():
        worse = [
            m for m in report["messages"] if m["severity"] <= 1 and not ("source" in path and m["code"] in excused)
        ]
        assert report["numErrors"] == 0 and not worse, (path, worse)


@needs_node
@pytest.mark.parametrize(
    "name",
    ["made", "stepped", "from bvh", "into its source", "source, clean", "one of many, unchanged", "deckhand"],
)
def test_an_independent_player_puts_every_node_where_we_do(exports, name: str) -> None:
    """Source: the npm package three, a general-purpose WebGL library, run headless."""
    path, clip, nodes, start = exports[name]
    places = np.array(node("play.mjs", path, 0, _times(start, clip)))[:, list(nodes)]
    document = read(path)
    ours = clip.model[1]
    turn = document.frame.turn[0]
    theirs = quat.rotate(turn, places) if name in ("made",) else places
    size = max(float(np.ptp(ours[0], axis=0).max()), document.rig.height)
    assert np.abs(theirs - ours).max() < 1e-5 * size


def _times(start: float, clip: Clip) -> str:
    """Times of the frames as the file has them: rounded to float32."""
    return json.dumps(np.float32(start + np.arange(clip.frames) / clip.rate).astype(float).tolist())


@needs_node
def test_every_kind_of_interpolation_is_played_alike() -> None:
    """interp_mix.glb has LINEAR, STEP and CUBICSPLINE samplers."""
    document = read(DATA / "interp_mix.glb")
    clip = document.clips[0]
    places = np.array(node("play.mjs", DATA / "interp_mix.glb", 0, _times(0.0, clip)))
    assert np.abs(places[:, list(document.layout.nodes)] - clip.model[1]).max() < 1e-5 * document.rig.height


# Damage -----------------------------------------------------------------------------------------------------


def _unback(json_: dict) -> None:
    del json_["accessors"][1]["bufferView"]
    json_["accessors"][1]["count"] = 2**31


def _broken() -> list[tuple[str, object, str]]:
    def with_(change) -> tuple[dict, bytes]:
        json_, data = made()
        change(json_)
        return json_, data

    def at(path: str, value: object):
        def change(j: dict) -> None:
            *way, last = path.split(".")
            for w in way:
                j = j[int(w)] if isinstance(j, list) else j[w]
            j[int(last) if isinstance(j, list) else last] = value

        return with_(change)

    nan = made(values=np.full((3, 4), np.nan))
    return [
        ("offset", at("bufferViews.1.byteOffset", 10_000), "ends at byte"),
        ("length", at("bufferViews.1.byteLength", 8), "needs"),
        ("count", at("accessors.1.count", 2**31), "needs"),
        ("unbacked", with_(_unback), "elements without data"),
        ("type", at("accessors.1.type", "VEC9"), "VEC9"),
        ("component", at("accessors.1.componentType", 7), "component type"),
        ("view", at("accessors.1.bufferView", 99), "bufferViews[99]"),
        ("negative", at("accessors.1.bufferView", -1), "-1"),
        ("cycle", at("nodes.1.children", [0]), "two parents|circle"),
        ("self", with_(lambda j: j["nodes"].append({"children": [2]})), "circle"),
        ("node", at("nodes.0.children", [77]), "nodes[77]"),
        ("numbers", at("nodes.1.translation", [0, "x", 0]), "3 finite numbers|instead of a number"),
        ("sampler", at("animations.0.channels.0.sampler", 5), "samplers[5]"),
        ("backwards", made([0.0, 1.0, 0.5]), "backwards"),
        ("mismatch", made([0.0, 1.0], values=quat.about(0, np.arange(3.0))), "2 times and 3 values"),
        ("nan", nan, "not a finite number"),
        ("forever", made([0.0, 0.5, 1e9]), "too long"),
        ("kind", at("animations.0.samplers.0.interpolation", "BOUNCY"), "BOUNCY"),
        ("list", at("nodes", {"a": 1}), "list of objects|instead of a list"),
        ("wrong kind", at("nodes.0.children", 5), "wrong kind|instead of a list"),
        ("missing buffer", at("buffers.0.uri", "gone.bin"), "missing"),
        ("outside", at("buffers.0.uri", "../../etc/passwd"), "outside"),
        ("a name that is too long", at("buffers.0.uri", "é" * 300), "cannot be a file"),
        ("web", at("buffers.0.uri", "http://example.com/a.bin"), "outside"),
        ("base64", at("buffers.0.uri", "data:x;base64,@@"), "damaged base64"),
        ("version", at("asset.version", "1.0"), "version 1.0"),
        ("empty", ({"asset": {"version": "2.0"}}, b""), "no skeleton"),
    ]  # fmt: skip


@pytest.mark.parametrize(("name", "content", "says"), _broken(), ids=[b[0] for b in _broken()])
def test_damage_is_named(tmp_path: Path, name: str, content: tuple[dict, bytes], says: str) -> None:
    path = tmp_path / "a.glb"
    path.write_bytes(to_glb(*content) if "uri" not in content[0].get("buffers", [{}])[0] else _glb_as_is(*content))
    with pytest.raises(ReadError, match=r"a\.glb") as caught:
        list(read(path).clips)
    assert any(s in str(caught.value) for s in says.split("|")), str(caught.value)


def _glb_as_is(json_: dict, data: bytes) -> bytes:
    text = json.dumps(json_).encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<IIIII", 0x46546C67, 2, 20 + len(text), len(text), 0x4E4F534A) + text


@pytest.mark.long
def test_a_huge_hierarchy_is_refused(tmp_path: Path) -> None:
    json_, data = made()
    json_["nodes"] = [{"children": [i + 1]} for i in range(100_000)] + [{}]
    with pytest.raises(ReadError, match="more than the 10,000 joints"):
        read_made(tmp_path, json_, data)

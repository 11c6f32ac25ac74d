"""Props: their shapes, what lies below, how they move, and stage files."""

from __future__ import annotations

import json
import pickle
import re
from pathlib import Path

import msgspec
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from reflexa.errors import ReadError, RecipeError
from reflexa.formats import encode
from reflexa.formats.text import pretty
from reflexa.motion import quat
from reflexa.motion.clip import rest_clip
from reflexa.project import store
from reflexa.stage import EMPTY, Carrying, Prop, PropKey, Stage, surface_under
from reflexa.stage.model import grip_track, track, turn_of
from reflexa.stage.presets import PRESETS, winch_crank
from reflexa.stage.shapes import corners
from reflexa.stage.store import document, read_prop, read_stage, stage_from_plain
from reflexa.steps import make
from reflexa.take import Source, Take
from tests.helpers import rigs
from tests.helpers.files import DATA


def test_props_have_their_exact_size_and_a_closed_outside() -> None:
    for name, preset in PRESETS.items():
        prop = preset()
        tri = corners(prop)
        size = np.ptp(tri.reshape(-1, 3), axis=0)
        assert np.allclose(size, prop.size, atol=1e-3), name
        # By the divergence theorem a closed outside, seen counter-clockwise, encloses a positive volume.
        volume = np.sum(np.cross(tri[:, 0], tri[:, 1]) * tri[:, 2]) / 6
        assert volume > 0, name
    assert len(corners(Prop("b", "box", (2, 3, 4)))) == 12
    assert PRESETS["jetty step"]().size[1] == 0.45


def test_the_surface_below_is_that_of_the_prop_in_its_place() -> None:
    clip = rest_clip(rigs.rig(1).skeleton)
    ramp = Prop("r", "ramp", (2.0, 0.5, 2.0), (1.0, 0.2, 0.0), (90.0, 0.0, 0.0))
    stage = Stage(
        (ramp, Prop("b", "box", (1.0, 0.3, 1.0), (-2.0, 0.0, 0.0)), Prop("rail", surface=False, size=(9.0, 0.1, 9.0)))
    )
    points = np.array(
        [[1.0, 0.5, 0.0], [1.5, 0.6, 0.0], [-2.0, 0.31, 0.2], [-2.0, 0.0, 0.2], [-2.0, -0.2, 0.2], [5.0, 1.0, 5.0]]
    )
    found = surface_under(stage, clip, points, frames=np.zeros(6, dtype=np.intp))
    # Turned by 90° the ramp rises towards +x: 0.25 a metre, from 0.2 at x = 0.
    assert found.height == pytest.approx([0.45, 0.575, 0.3, 0.0, 0.0, 0.0], abs=1e-9)
    assert found.prop.tolist() == [0, 0, 1, -1, -1, -1], "what is more than a step above is a wall, not a floor"
    assert found.normal[0] == pytest.approx(np.array([-0.5, 2.0, 0.0]) / np.hypot(0.5, 2.0), abs=1e-9)


def test_a_prop_turns_as_scipy_turns_and_goes_round_by_its_keys(deckhand_clips) -> None:
    clip = deckhand_clips["lantern idle"]
    for turn in ((20.0, 40.0, -70.0), (-170.0, 80.0, 10.0)):
        assert np.allclose(quat.to_matrix(turn_of(turn)), Rotation.from_euler("YXZ", turn, degrees=True).as_matrix())
    crank = msgspec.structs.replace(
        winch_crank(), keys=(PropKey(0, (0.0, 1.0, 0.0)), PropKey(100, (0.0, 1.0, 0.0), (0.0, 720.0, 0.0)))
    )
    q, p = grip_track(crank, "handle", clip)
    angle = np.unwrap(np.arctan2(p[:101, 2], p[:101, 1] - 1.0))
    assert angle[-1] == pytest.approx(4 * np.pi) and np.ptp(np.diff(angle)) < 1e-9, "evenly, twice round"
    assert np.ptp(np.linalg.norm(p[:, 1:] - [1.0, 0.0], axis=1)) < 1e-9 and len(q) == clip.frames


def test_a_prop_is_picked_up_and_put_away_by_events(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["rope haul"], deckhand_rig
    hand = rig.skeleton.names[rig.joint("right hand")]
    rope = Prop("rope", place=(0.0, 1.0, 0.8), holds=(Carrying(hand, "grip", "hauled"),))
    _, p = track(rope, clip)
    assert np.ptp(p[:11], axis=0).max() < 1e-12 and np.ptp(p[45:], axis=0).max() < 1e-12
    j = rig.joint("right hand")
    own = quat.rotate(quat.conjugate(clip.model[0][10:46, j]), p[10:46] - clip.model[1][10:46, j])
    assert np.ptp(own, axis=0).max() < 1e-9, "between, it goes with the hand"
    with pytest.raises(RecipeError, match="Events: grip, hauled"):
        track(msgspec.structs.replace(rope, holds=(Carrying(hand, "never"),)), clip)
    with pytest.raises(RecipeError, match="which this rig does not have"):
        track(msgspec.structs.replace(rope, holds=(Carrying("paw", 3),)), clip)


def test_stages_are_saved_and_read_and_refused_where_they_are_wrong(tmp_path: Path, deckhand_rig) -> None:
    stage = Stage(tuple(msgspec.structs.replace(p(), name=n) for n, p in PRESETS.items()))
    path = tmp_path / "landing.stage.json"
    path.write_text(pretty(document(stage)))
    assert read_stage(path) == stage and read_stage(path).digest == stage.digest
    for change, where in (
        ({"size": [0, 1, 1]}, "size"), ({"size": [1, 1]}, "size"), ({"shape": "ball"}, "shape"), ({"colour": 3}, "colour"),
        ({"triangles": [[0, 1, 2]]}, "corners"), ({"keys": [{"frame": 3, "place": [0, 0, 0]}] * 2}, "in order"),
    ):  # fmt: skip
        with pytest.raises(ReadError, match=where):
            stage_from_plain({"props": [{"name": "a", **change}]}, path)
    with pytest.raises(ReadError, match="two props"):
        stage_from_plain({"props": [{"name": "a"}, {"name": "a"}]}, path)
    path.write_text(json.dumps({"reflexa": "stage", "version": 9}))
    with pytest.raises(ReadError, match="newer"):
        read_stage(path)
    prop = read_prop(DATA / "RiggedSimple.glb")
    assert prop.shape == "mesh" and len(prop.triangles) > 10 and prop.name == "RiggedSimple"
    assert corners(prop).reshape(-1, 3)[:, 1].min() == pytest.approx(0.0, abs=1e-6), (
        "its origin is the middle of its base"
    )
    bare = tmp_path / "bare.glb"
    bare.write_bytes(encode([rest_clip(deckhand_rig.skeleton)], deckhand_rig, "glb"))
    with pytest.raises(ReadError, match="no triangles"):
        read_prop(bare)


def test_a_stage_is_saved_with_its_take_and_a_damaged_one_named(tmp_path: Path) -> None:
    stage = Stage((PRESETS["jetty step"](), winch_crank()))
    take = Take("t", Source("f", "c"), (make("foot-lock"),), stage=stage)
    store.save(store.Project("p", (), (take, Take("bare", Source("f", "c")))), tmp_path)
    back = store.load(tmp_path)
    assert back.takes[0] == take and back.takes[1].stage == EMPTY
    assert "stage" not in (tmp_path / "takes" / "bare.take.json").read_text()
    path = tmp_path / "takes" / "t.take.json"
    path.write_text(path.read_text().replace('"shape": "mesh"', '"shape": "blob"'))
    (lost,) = store.load(tmp_path).lost
    assert re.search(r"t\.take\.json.*stage\.props\[1\]\.shape", lost.reason)


def test_what_lies_below_goes_up_with_a_prop_that_does(deckhand_clips) -> None:
    clip = deckhand_clips["lantern idle"]
    lift = Prop("lift", "box", (3.0, 0.2, 3.0), keys=(PropKey(0, (0.0, -0.2, 0.0)), PropKey(150, (0.0, 0.1, 0.0))))
    points = np.tile([0.1, 0.4, 0.1], (clip.frames, 1))
    found = surface_under(Stage((lift,)), clip, points)
    assert found.height == pytest.approx(np.maximum(np.linspace(0.0, 0.3, clip.frames), 0.0), abs=1e-9)


def test_a_mesh_that_cannot_be_read_as_a_prop_is_refused_with_its_place(tmp_path: Path) -> None:
    bare = {
        "asset": {"version": "2.0"}, "nodes": [{"mesh": 0}], "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"componentType": 5126, "count": 3, "type": "VEC3"}],
    }  # fmt: skip
    path = tmp_path / "crate.gltf"
    path.write_text(json.dumps(bare))
    with pytest.raises(ReadError, match=r"crate\.gltf, meshes\[0\]\.primitives\[0\]: uses a compression"):
        read_prop(path)


def test_a_stage_is_known_by_what_it_says_in_every_process() -> None:
    """What comes from another process has its defaults as values of its own; it is the same stage all the same."""
    stage = Stage((PRESETS["jetty step"](),))
    again = pickle.loads(pickle.dumps(stage))
    assert again == stage and again.digest == stage.digest
    assert Stage((winch_crank(),)).digest != stage.digest

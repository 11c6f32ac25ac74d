"""Corrections, weights, envelopes and masks; takes, their cache, and recipes."""

from __future__ import annotations

import json

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation, Slerp

from reflexa.errors import ReadError, RecipeError
from reflexa.motion import quat
from reflexa.output.shape import exported
from reflexa.steps import KINDS, Mask, apply, describe, from_plain, make, to_plain
from reflexa.steps.correction import (
    CorrectionSettings,
    Key,
    Track,
    change_keys,
    correct,
    missing,
    move_keys,
    set_key,
    track_at,
)  # fmt: skip
from reflexa.take import Cache, Export, Source, Surroundings, Take, evaluate
from reflexa.take.parse_step import step_from_text
from reflexa.take.recipe import Recipe, read_recipe, recipe_plain
from reflexa.take.schema import schema
from tests.helpers import rigs
from tests.helpers.files import ROOT

RIG = rigs.rig(11)
CLIP = rigs.clip(RIG, 12, 60)
ARM = RIG.skeleton.index["upper_arm_l"]


def keyed(
    space: str = "own", rotate: tuple[float, float, float] = (20.0, -35.0, 50.0), **more: object
) -> CorrectionSettings:
    return set_key(CorrectionSettings(falloff=10), "upper_arm_l", 30, 59, rotate=rotate, space=space, **more)


def rotation(clip, frame: int, joint: int, model: bool = False) -> Rotation:
    return Rotation.from_quat(np.array((clip.model[0] if model else clip.rotations)[frame, joint]))


@pytest.mark.parametrize("space", ["own", "parent", "world"])
def test_the_keyed_change_is_the_rotation_vector_in_its_space(space: str) -> None:
    """Against SciPy's Rotation."""
    out = correct(CLIP, RIG, keyed(space))
    d = Rotation.from_rotvec(np.radians([20, -35, 50]))
    q = rotation(CLIP, 30, ARM)
    if space == "world":
        expected = d * rotation(CLIP, 30, ARM, model=True)
        assert (expected.inv() * rotation(out, 30, ARM, model=True)).magnitude() < 1e-12
    else:
        expected = q * d if space == "own" else d * q
        assert (expected.inv() * rotation(out, 30, ARM)).magnitude() < 1e-12


@pytest.mark.parametrize("space", ["own", "parent", "world"])
def test_moves_are_metres_in_their_space(space: str) -> None:
    out = correct(CLIP, RIG, keyed(space, (0.0, 0.0, 0.0), move=(0.1, 0.2, -0.3)))
    moved = out.model[1][30, ARM] - CLIP.model[1][30, ARM]
    frame = {"own": rotation(CLIP, 30, ARM, True), "world": Rotation.identity(),
             "parent": rotation(CLIP, 30, int(RIG.skeleton.parents[ARM]), True)}[space]  # fmt: skip
    assert np.allclose(moved, frame.apply([0.1, 0.2, -0.3]), atol=1e-12)


def test_outside_the_reach_everything_is_bit_equal() -> None:
    out = correct(CLIP, RIG, keyed())
    changed = np.flatnonzero((out.rotations != CLIP.rotations).any(axis=(1, 2)))
    assert changed[0] == 21 and changed[-1] == 39
    others = [j for j in range(len(RIG.skeleton)) if j != ARM]
    assert np.array_equal(out.rotations[:, others], CLIP.rotations[:, others])
    assert np.array_equal(out.translations, CLIP.translations)


def test_world_space_means_the_world_as_it_is_then() -> None:
    """A parent keyed in the same step turns first; the child's axes stay the world's."""
    two = set_key(keyed("world"), "hips", 30, 59, rotate=(0.0, 60.0, 0.0), space="world")
    out = correct(CLIP, RIG, two)
    only = correct(
        CLIP, RIG, set_key(CorrectionSettings(falloff=10), "hips", 30, 59, rotate=(0.0, 60.0, 0.0), space="world")
    )
    d = Rotation.from_rotvec(np.radians([20, -35, 50]))
    expected = d * rotation(only, 30, ARM, True)
    assert (expected.inv() * rotation(out, 30, ARM, True)).magnitude() < 1e-12


def test_setting_keys_brings_neutral_keys_where_they_are_needed() -> None:
    def frames(s: CorrectionSettings) -> list[tuple[int, bool]]:
        return [(k.frame, k.neutral) for k in s.track("upper_arm_l").keys]

    assert frames(keyed()) == [(20, True), (30, False), (40, True)]
    near = set_key(keyed(), "upper_arm_l", 33, 59, rotate=(5.0, 0.0, 0.0))
    assert frames(near) == [(20, True), (30, False), (33, False), (40, True)]
    early = set_key(CorrectionSettings(falloff=10), "upper_arm_l", 4, 59, rotate=(5.0, 0.0, 0.0))
    assert frames(early) == [(4, False), (14, True)], "before the clip there is nothing to return to"
    whole = set_key(CorrectionSettings(whole_clip=True), "upper_arm_l", 4, 59, rotate=(5.0, 0.0, 0.0))
    assert frames(whole) == [(4, False)], "a change for the whole clip needs a single key (common practice, no source)"
    inside = set_key(keyed(), "upper_arm_l", 30, 59, move=(0.0, 0.1, 0.0))
    assert inside.track("upper_arm_l").keys[1] == Key(30, (20.0, -35.0, 50.0), (0.0, 0.1, 0.0))
    assert missing(keyed(), rigs.rig(0, 1)) == ["upper_arm_l"]


def test_keys_move_on_whole_frames_and_stop_at_the_ends() -> None:
    s = keyed()
    all_keys = {("upper_arm_l", f) for f in (20, 30, 40)}
    assert [k.frame for k in move_keys(s, all_keys, 90, 59).track("upper_arm_l").keys] == [39, 49, 59]
    assert [k.frame for k in move_keys(s, {("upper_arm_l", 30)}, 10, 59).track("upper_arm_l").keys] == [20, 40]
    held = change_keys(s, {("upper_arm_l", 20)}, then="hold")
    assert track_at(held.track("upper_arm_l"), np.arange(20, 30))[0].any() == np.False_
    assert change_keys(s, all_keys).tracks == ()


@given(st.floats(0, 1), st.lists(st.floats(0, 1), min_size=2, max_size=5))
@settings(deadline=None, max_examples=25)
def test_weight_and_envelope_are_slerp(weight: float, levels: list[float]) -> None:
    """Against SciPy's Slerp; linear in time between envelope points."""
    points = tuple((float(i * 9), w) for i, w in enumerate(levels))
    step = msgspec.structs.replace(make("mirror"), weight=weight, envelope=points)
    full = apply(make("mirror"), CLIP, RIG)
    out = apply(step, CLIP, RIG)
    apart = quat.angle(quat.multiply(quat.conjugate(CLIP.rotations[:, ARM]), full.rotations[:, ARM]))
    for f in (0, 4, 30):
        w = weight * float(np.interp(f, [p[0] for p in points], levels))
        pair = Rotation.concatenate([rotation(CLIP, f, ARM), rotation(full, f, ARM)])
        if apart.max() < np.radians(110):  # near half a turn there are two ways round
            assert (Slerp([0, 1], pair)(w).inv() * rotation(out, f, ARM)).magnitude() < 1e-6
        assert np.allclose(out.translations[f], (1 - w) * CLIP.translations[f] + w * full.translations[f], atol=1e-12)


def test_nothing_and_everything_are_exact() -> None:
    step = make("mirror")
    replace = msgspec.structs.replace
    assert apply(replace(step, on=False), CLIP, RIG) is CLIP and apply(replace(step, weight=0.0), CLIP, RIG) is CLIP
    full = apply(step, CLIP, RIG)
    as_ones = apply(replace(step, envelope=((0.0, 1.0),)), CLIP, RIG)
    assert np.array_equal(np.abs(as_ones.rotations), np.abs(full.rotations)) and np.array_equal(
        as_ones.translations, full.translations
    )


def test_a_mask_reaches_its_joints_only() -> None:
    step = msgspec.structs.replace(make("mirror"), mask=Mask(parts=("left arm",), joints={"head": 0.5}))
    out = apply(step, CLIP, RIG)
    changed = {RIG.skeleton.names[j] for j in np.flatnonzero((out.rotations != CLIP.rotations).any(axis=(0, 2)))}
    assert changed == {"clavicle_l", "upper_arm_l", "forearm_l", "hand_l", "index_1_l", "head"}
    with pytest.raises(RecipeError, match="does not have"):
        apply(msgspec.structs.replace(step, mask=Mask(joints={"wing": 1.0})), CLIP, RIG)


# Takes and recipes ------------------------------------------------------------------------------------------


def test_evaluation_gives_every_stage_and_takes_what_is_known_from_the_cache() -> None:
    a, b = make("mirror", "one"), msgspec.structs.replace(make("correction", "two"), settings=keyed())
    cache = Cache()
    take = Take("t", Source("f", "c"), (a, b))
    first = evaluate(take, CLIP, RIG, Surroundings(cache=cache))
    assert first.clips[0] is CLIP and len(first.clips) == 3
    again = evaluate(
        Take("t", Source("f", "c"), (a, msgspec.structs.replace(b, weight=0.5))), CLIP, RIG, Surroundings(cache=cache)
    )
    assert again.clips[1] is first.clips[1], "steps before the change are not computed again"
    off = evaluate(
        Take("t", Source("f", "c"), (msgspec.structs.replace(a, on=False), b)), CLIP, RIG, Surroundings(cache=cache)
    )
    assert off.clips[1] is CLIP
    renamed = evaluate(
        Take("t", Source("f", "c"), (msgspec.structs.replace(a, name="x"), b)), CLIP, RIG, Surroundings(cache=cache)
    )
    assert renamed.result is first.result
    assert first.ribbons[1][30] > 0 and first.ribbons[1][45] == 0
    small = Cache(most_bytes=1)
    assert np.array_equal(evaluate(take, CLIP, RIG, Surroundings(cache=small)).result.rotations, first.result.rotations)


def test_export_settings_cut_and_resample() -> None:
    line = evaluate(Take("t", Source("f", "c")), CLIP, RIG)
    out = exported(line.result, line.rig, Export("new", 10, 39, 60.0, True))
    assert (out.name, out.frames, out.rate, out.loop) == ("new", 59, 60.0, True)
    assert np.array_equal(exported(line.result, line.rig, Export(first=10, last=12)).rotations, CLIP.rotations[10:13])


def test_steps_survive_plain_data() -> None:
    step = msgspec.structs.replace(
        make("correction", "n"), settings=keyed("world"), weight=0.25, envelope=((0.0, 0.0), (9.0, 1.0)), on=False,
        mask=Mask(parts=("head",), joints={"neck": 0.5}),
    )  # fmt: skip
    assert from_plain(json.loads(json.dumps(to_plain(step)))) == step
    for kind in KINDS.values():
        said = describe(kind)
        assert said["help"] and all(s["title"] and s["help"] for s in said["settings"])


def keys_of(*tracks: list[dict]) -> dict:
    """A correction of the neck as plain data, with one track for each list of keys."""
    return {"kind": "correction", "settings": {"tracks": [{"joint": "neck", "keys": keys} for keys in tracks]}}


@pytest.mark.parametrize(
    ("data", "place", "reason"),
    [
        ({"kind": "fly"}, "step.kind", "no step 'fly'"),
        ({"kind": "mirror", "settings": {"plane": "moon"}}, "step.settings.plane", "moon"),
        ({"kind": "mirror", "settings": {"speed": 2}}, "step.settings", "speed"),
        ({"kind": "mirror", "weight": 1.5}, "step.weight", "outside 0 to 1"),
        ({"kind": "mirror", "extra": 1}, "step", "extra"),
        ({"kind": "mirror", "envelope": [[5, 0.5], [5, 1]]}, "step.envelope[1]", "rise"),
        ({"kind": "mirror", "mask": {"parts": ["wing"]}}, "step.mask.parts[0]", "wing"),
        ({"kind": "correction", "settings": {"falloff": 0}}, "step.settings.falloff", ">= 1"),
        ({"kind": "correction", "settings": {"tracks": [{"joint": "a", "keys": [{"frame": -3}]}]}}, "keys[0].frame", ">= 0"),
        (keys_of([{"frame": 3}, {"frame": 3}]), "settings.tracks[0]", "3 comes after 3"),
        (keys_of([{"frame": 9}, {"frame": 3}]), "settings.tracks[0]", "3 comes after 9"),
        (keys_of([], []), "step.settings", "two tracks for neck"),
        (keys_of([{"frame": 9, "then": "fast"}]), "keys[0].then", "fast"),
        ({"kind": "correction", "settings": {"how": "multiply"}}, "step.settings.how", "multiply"),
        (["mirror"], "step", "not a JSON object"),
    ],
)  # fmt: skip
def test_what_a_recipe_gets_wrong_is_named_with_its_place(data: object, place: str, reason: str) -> None:
    with pytest.raises(RecipeError, match=r".") as caught:
        from_plain(data)
    assert place in caught.value.place and reason in caught.value.reason


def test_recipe_files(tmp_path) -> None:
    path = tmp_path / "a.recipe.json"
    step = make("mirror")
    path.write_text(json.dumps(recipe_plain(Recipe("port side", (step,)))))
    assert read_recipe(path) == Recipe("port side", (step,))
    for text, error in (
        ("{", ReadError),
        ('{"reflexa": "take"}', ReadError),
        ('{"reflexa":"recipe","version":9,"steps":[]}', ReadError),
        ('{"reflexa":"recipe","version":1,"steps":[{"kind":"x"}]}', RecipeError),
    ):
        path.write_text(text)
        with pytest.raises(error, match=r"a\.recipe\.json"):
            read_recipe(path)


def test_steps_on_the_command_line() -> None:
    assert step_from_text("mirror:plane=world").settings.plane == "world"
    assert step_from_text("correction:falloff=30,whole-clip=true").settings.whole_clip is True
    with pytest.raises(RecipeError, match="setting=value"):
        step_from_text("mirror:plane")


def test_the_shipped_schema_is_up_to_date() -> None:

    shipped = json.loads((ROOT / "docs/recipe.schema.json").read_text())
    assert shipped == json.loads(json.dumps(schema())), "run: python docs/make_reference.py"


def test_tracks_keep_their_order() -> None:
    s = CorrectionSettings(tracks=(Track("b", (Key(1),)), Track("a", (Key(1),))))
    s = set_key(s, "b", 9, 59, rotate=(1.0, 0.0, 0.0))
    assert [t.joint for t in s.tracks] == ["b", "a"]


@pytest.mark.parametrize("cycle", [13, 20, 37])
def test_a_layer_on_its_own_cycle_repeats_and_never_drifts(cycle: int) -> None:
    """Whatever the clip's length: what the layer does at a frame is what it does a cycle later, end meets beginning."""
    keys = tuple(Key(f, (float(v), 0.0, 0.0)) for f, v in ((4, 3.0), (7, 12.0), (11, -5.0), (50, 90.0)))
    late = tuple(Key(f, (0.0, float(v), 0.0)) for f, v in ((6, 8.0), (12, 2.0)))
    s = CorrectionSettings(cycle=cycle, tracks=(Track("upper_arm_l", keys), Track("hand_l", late)))
    out = correct(CLIP, RIG, s)
    for joint, axis in (("upper_arm_l", 0), ("hand_l", 1)):
        j = RIG.skeleton.index[joint]
        change = Rotation.from_quat(np.array(CLIP.rotations[:, j])).inv() * Rotation.from_quat(
            np.array(out.rotations[:, j])
        )
        v = np.degrees(change.as_rotvec()[:, axis])
        assert v[4 : 60 - cycle] == pytest.approx(v[4 + cycle :], abs=1e-6)
        assert v[:4] == pytest.approx(v[cycle : cycle + 4], abs=1e-6), "also before its first key"
        first, value = {"upper_arm_l": (4, 3), "hand_l": (6, 8)}[joint]
        assert v[[first, first + cycle]] == pytest.approx(value)
        assert np.abs(v).max() < 30, "keys behind the cycle's end do not count"
    assert np.array_equal(correct(CLIP, RIG, CorrectionSettings(cycle=9)).rotations, CLIP.rotations)

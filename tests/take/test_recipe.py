"""Recipes: kept on one rig and run on others, settings that stay open, and what is wrong with them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from reflexa.errors import RecipeError
from reflexa.motion.clip import rest_clip
from reflexa.project import store
from reflexa.project.store import Project
from reflexa.rig import Rig
from reflexa.steps import Mask, Step, make
from reflexa.steps.correction.settings import Key, Track
from reflexa.take import Source, Take, evaluate
from reflexa.take.evaluate import Surroundings
from reflexa.take.fitting import fitted, not_applying
from reflexa.take.recipe import Parameter, Recipe, about, joined, keep, read_recipe, recipe_plain, with_values
from tests.helpers import rigs

_SPACES = ("own", "parent", "world")


def _correction(rig: Rig, space: str) -> Step:
    """A raised arm, a bent spine and a foot moved, as a hand makes them on that rig."""
    tracks = tuple(
        Track(rig.body_map[part][0], (Key(0, turn, move),), space)
        for part, turn, move in (
            ("left upper arm", (10.0, 25.0, -15.0), (0, 0, 0)),
            ("right forearm", (0.0, 30.0, 5.0), (0, 0, 0)),
            ("pelvis", (4.0, -8.0, 3.0), (0.02, 0.05, -0.03)),
        )
    )
    return make("correction", "Lift", whole_clip=True, tracks=tracks)


def _after(rig: Rig, steps: tuple[Step, ...]) -> dict[str, np.ndarray]:
    """Where body parts are once the rest pose went through steps."""
    clip = rest_clip(rig.skeleton)
    placed = evaluate(Take("t", Source("f", "c"), steps), clip, rig).result.model[1][0]
    return {part: placed[rig.skeleton.index[names[0]]] for part, names in rig.body_map.items()}


@pytest.mark.parametrize("space", _SPACES)
@pytest.mark.parametrize("seed", range(4))
def test_a_correction_does_the_same_on_a_rig_with_other_names_and_axes(seed: int, space: str) -> None:
    one = rigs.rig(seed, style=0, proportions=7)
    other = rigs.rig(seed + 100, style=1 + seed % 3, proportions=7)
    kept = keep("lift", [(_correction(one, space), one)])
    found = fitted(kept, rest_clip(other.skeleton), other)
    assert found.left_out == ()
    if space == "parent":  # its parents' axes differ too, and are asked for by what they are
        assert {t.joint for t in found.steps[0].settings.tracks} == {
            other.body_map[p][0] for p in ("left upper arm", "right forearm", "pelvis")
        }
    a, b = _after(one, kept.steps), _after(other, found.steps)
    if space != "world":
        for part in a.keys() & b.keys():
            assert np.abs(a[part] - b[part]).max() < 1e-5, part
    moved = np.abs(a["left hand"] - _after(one, ())["left hand"]).max()
    assert moved > 0.02


def test_moves_take_the_size_of_the_figure_and_hands_of_another_rest_pose_are_raised_alike() -> None:
    one, tall = rigs.rig(3, proportions=7), rigs.rig(4, style=1, proportions=7, scale=1.5)
    kept = keep("lift", [(_correction(one, "own"), one)])
    steps = fitted(kept, rest_clip(tall.skeleton), tall).steps
    rise = _after(one, kept.steps)["pelvis"] - _after(one, ())["pelvis"]
    assert _after(tall, steps)["pelvis"] - _after(tall, ())["pelvis"] == pytest.approx(1.5 * rise, abs=1e-5)
    hanging = rigs.rig(5, style=2, proportions=7, arms_down=40)
    twist = make("correction", "Twist", whole_clip=True, tracks=(_twist(one),))
    steps = fitted(keep("twist", [(twist, one)]), rest_clip(hanging.skeleton), hanging).steps
    before, after = _after(hanging, ()), _after(hanging, steps)
    # What turned about the bone still does: nothing along it moves.
    assert np.abs(before["left forearm"] - after["left forearm"]).max() < 1e-5
    assert np.linalg.norm(steps[0].settings.tracks[0].keys[0].rotate) == pytest.approx(30, abs=1e-3)


def _twist(rig: Rig) -> Track:
    """Thirty degrees about the bone of the left upper arm."""
    arm, fore = (rig.joint(f"left {p}") for p in ("upper arm", "forearm"))
    along = rig.skeleton.rest_translations[fore] / np.linalg.norm(rig.skeleton.rest_translations[fore])
    return Track(rig.skeleton.names[arm], (Key(0, tuple((30 * along).tolist())),))


def test_nothing_changes_on_the_rig_that_a_recipe_was_made_on() -> None:
    rig = rigs.rig(1)
    step = replace(_correction(rig, "own"), mask=Mask(joints={rig.body_map["left hand"][0]: 0.5}))
    kept = keep("lift", [(step, rig)])
    assert fitted(kept, rest_clip(rig.skeleton), rig).steps == (step,)


def test_what_a_rig_has_not_is_named_and_left_out() -> None:
    one, armless = rigs.rig(1), rigs.rig(2, style=1, drop=("arm", "hand", "index", "clavicle"))
    masked = replace(make("mirror", "Arm over"), mask=Mask(joints={one.body_map["left hand"][0]: 1.0}))
    goal = make("reach", "ActiveSpan", limb="right hand", to="point")
    kept = keep("lift", [(_correction(one, "own"), one), (masked, one), (goal, one)])
    clip = rest_clip(armless.skeleton)
    found = fitted(kept, clip, armless)
    assert [t.joint for t in found.steps[0].settings.tracks] == [armless.body_map["pelvis"][0]]
    assert not found.steps[1].on, "a mask that reaches nothing is no mask that reaches all"
    said = not_applying(kept, {}, clip, armless)
    assert any("Lift: there is no" in s and "left upper arm" in s for s in said)
    assert any(s.startswith("ActiveSpan: ") for s in said), "a step that cannot be run is named with why"
    assert not_applying(kept, {}, rest_clip(one.skeleton), one) == []


def test_steps_behind_a_retarget_are_meant_on_the_rig_that_it_leads_to() -> None:
    one, target, third = rigs.rig(1), rigs.rig(2, style=1), rigs.rig(3, style=2)
    onto = make("retarget", "Onto", rig="target")
    kept = keep("both", [(onto, one), (_correction(target, "own"), target)], [Parameter("rig", onto.id, "rig")])
    within = Surroundings({"target": target, "third": third})
    clip = rest_clip(one.skeleton)
    assert fitted(kept, clip, one, within).steps[1] == kept.steps[1]
    now = fitted(with_values(kept, {"rig": "third"}), clip, one, within).steps[1]
    assert now.settings.tracks[0].joint == third.body_map["left upper arm"][0]


def test_a_chain_goes_to_the_chain_of_that_name() -> None:
    one, other = rigs.rig(1), rigs.rig(2)
    kept = keep("tail", [(make("follow-through", "After", chain="tail"), one)])
    assert fitted(kept, rest_clip(other.skeleton), other).steps[0].settings.chain == "tail"


# Parameters -----------------------------------------------------------------------------------------------------


def _open() -> Recipe:
    speed, mirror = make("retime", "Faster", speed=2.0), make("mirror", "Over")
    parameters = (
        Parameter("speed", speed.id, "speed"),
        Parameter("how much", mirror.id, "weight"),
        Parameter("onto", mirror.id, "plane", "Which plane.", required=True),
    )
    return Recipe("quick", (speed, mirror), parameters)


def test_parameters_have_the_unit_and_range_of_their_settings_and_go_into_the_steps() -> None:
    kept = _open()
    speed = about(kept, kept.parameters[0])
    assert (speed["unit"], speed["least"], speed["most"]) == ("×", 0.01, 100)
    said = with_values(kept, {"speed": 3, "how much": 0.25, "onto": "world"})
    assert (
        said.steps[0].settings.speed == 3 and said.steps[1].weight == 0.25 and said.steps[1].settings.plane == "world"
    )
    assert said.parameters == () and [s.id for s in said.steps] == [s.id for s in kept.steps]


@pytest.mark.parametrize(
    ("values", "text"),
    [
        ({}, "needs a value for onto"),
        ({"onto": "world", "pace": 2}, "has no parameter 'pace'"),
        ({"onto": "world", "speed": "quick"}, "expected `float`"),
        ({"onto": "world", "speed": 1000}, "expected `float` <= 100"),
        ({"onto": "world", "how much": 7}, "outside 0 to 1"),
        ({"onto": "sideways"}, "invalid enum value"),
    ],
)
def test_values_that_are_missing_or_do_not_fit_are_named(values: dict[str, object], text: str) -> None:
    with pytest.raises(RecipeError, match=r"parameter|recipe") as e:
        with_values(_open(), values)
    assert text.lower() in str(e.value).lower()


def test_a_recipe_file_keeps_all_of_it_and_says_where_it_is_wrong(tmp_path: Path) -> None:
    rig, path = rigs.rig(1), tmp_path / "a.recipe.json"
    speed = make("retime", "Faster")
    kept = keep("lift", [(_correction(rig, "own"), rig), (speed, rig)], [Parameter("speed", speed.id, "speed")])
    path.write_text(json.dumps({**recipe_plain(kept), "later": 1}))
    back = read_recipe(path)
    assert (back.steps, back.parameters, back.made_on, back.unknown) == (
        kept.steps, kept.parameters, kept.made_on, {"later": 1}
    )  # fmt: skip
    assert recipe_plain(back)["later"] == 1
    plain = recipe_plain(kept)
    for change, text in (
        ({"parameters": [{"name": "a", "step": "nobody", "setting": "speed"}]}, "parameters[0].step"),
        ({"parameters": [{"name": "a", "step": speed.id, "setting": "nothing"}]}, "parameters[0].setting"),
        ({"parameters": [{"name": "", "step": speed.id, "setting": "speed"}]}, "parameters[0].name"),
        ({"parameters": [{"step": speed.id}]}, "parameters[0]"),
        ({"made_on": [{"steps": [], "cast": {}}]}, "made_on[0].cast"),
        ({"made_on": 3}, "made_on"),
    ):
        path.write_text(json.dumps({**plain, **change}))
        with pytest.raises(RecipeError) as e:
            read_recipe(path)
        assert text in str(e.value) and "a.recipe.json" in str(e.value)
    # People write names where the window writes ids.
    path.write_text(json.dumps({**plain, "parameters": [{"name": "a", "step": "Faster", "setting": "speed"}]}))
    assert read_recipe(path).parameters[0].step == speed.id


def test_recipes_in_a_row_keep_their_parameters_and_references() -> None:
    first, last = make("foot-lock", "Stand"), make("pin", "Keep", since="")
    one = Recipe("one", (replace(first, id="s1"), replace(last, id="s2", settings=replace(last.settings, since="s1"))))
    open_one = Recipe("one", one.steps, (Parameter("kept", "s2", "since"),))
    both = joined("both", [one, open_one])
    assert [s.id for s in both.steps] == ["s1", "s2", "s1-2", "s2-2"]
    assert both.steps[3].settings.since == "s1-2" and both.parameters[0].step == "s2-2"


def test_recipes_are_part_of_a_project_and_a_damaged_one_costs_itself_alone(tmp_path: Path) -> None:
    rig = rigs.rig(1)
    kept = keep("lift / it", [(_correction(rig, "own"), rig)])
    store.save(Project("p", recipes=(kept, Recipe("bare"))), tmp_path)
    back = store.load(tmp_path)
    assert back.recipes == (kept, Recipe("bare"))
    assert (tmp_path / "recipes/bare.recipe.json").exists()
    (tmp_path / "recipes/bare.recipe.json").write_text('{"reflexa": "recipe", "version": 1, "steps": 3}')
    back = store.load(tmp_path)
    assert [r.name for r in back.recipes] == ["lift / it"] and back.lost[0].part == "recipes"
    store.save(Project("p", lost=back.lost), tmp_path, known=store.state(tmp_path))
    assert (tmp_path / "recipes/bare.recipe.json").exists() and len(list((tmp_path / "recipes").iterdir())) == 1

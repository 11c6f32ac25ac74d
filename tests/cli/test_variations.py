"""``reflexa apply --vary``: every combination of values, named by a pattern."""

from __future__ import annotations

import itertools
import json
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.output.manifest import manifest_of
from reflexa.take.parse_step import recipe_from_text
from reflexa.take.variations import variations, varied_from_text
from tests.helpers.commands import run
from tests.helpers.files import DATA

WALK = DATA / "humanoid3d_walk.bvh"
MIRROR, RETIME = ("--step", "mirror"), ("--step", "retime:how=speed")


def test_each_is_what_it_is_by_itself(tmp_path: Path) -> None:
    status, out, err = run(
        "apply", WALK, *MIRROR, *RETIME, "--vary", "mirror.weight=0.5,1", "--vary", "retime.speed=0.5,1,2", "--json",
        "--out", tmp_path, "--name", "{file} {weight} at {speed}",
    )  # fmt: skip
    assert status == 0, err
    written = json.loads(out)["written"]
    assert [w["varied"] for w in written] == [
        {"weight": w, "speed": s} for w, s in itertools.product(("0.5", "1"), ("0.5", "1", "2"))
    ]
    for i, made in enumerate(written):
        weight, speed = made["varied"]["weight"], made["varied"]["speed"]
        path = tmp_path / f"{WALK.stem} {weight} at {speed}.bvh"
        assert Path(made["file"]) == path
        recipe = {
            "reflexa": "recipe", "version": 1, "name": "one", "steps": [
                {"kind": "mirror", "weight": float(weight), "settings": {}},
                {"kind": "retime", "settings": {"how": "speed", "speed": float(speed)}},
            ],
        }  # fmt: skip
        one = tmp_path / f"{i}.recipe.json"
        one.write_text(json.dumps(recipe))
        assert run("apply", WALK, "--recipe", one, "--out", tmp_path / str(i))[0] == 0
        a, b = read(path).clips[0], read(tmp_path / str(i) / WALK.name).clips[0]
        assert np.array_equal(a.rotations, b.rotations) and np.array_equal(a.translations, b.translations)
        told = manifest_of(path)["recipe"]["steps"]
        assert told[0].get("weight", 1.0) == float(weight) and told[1]["settings"]["speed"] == float(speed)


def test_without_a_pattern_the_values_stand_at_the_end(tmp_path: Path) -> None:
    status, _, err = run("apply", WALK, *MIRROR, "--vary", "steps.0.weight=0..1/3", "--out", tmp_path)
    assert status == 0, err
    assert {p.name for p in tmp_path.glob("*.bvh")} == {f"{WALK.stem} weight {v}.bvh" for v in ("0", "0.5", "1")}


def test_by_two_processes_the_same(tmp_path: Path) -> None:
    said = ("apply", WALK, *MIRROR, "--vary", "mirror.weight=0.25,0.75", "--jobs")
    for jobs in (1, 2):
        assert run(*said, jobs, "--out", tmp_path / str(jobs))[0] == 0
    names = sorted(p.name for p in (tmp_path / "1").glob("*.bvh"))
    assert len(names) == 2
    for name in names:
        assert (tmp_path / "1" / name).read_bytes() == (tmp_path / "2" / name).read_bytes()


def test_settings_of_one_name_are_told_apart(tmp_path: Path) -> None:
    recipe = recipe_from_text("mirror")
    two = type(recipe)("both", (*recipe.steps, *recipe_from_text("retime:how=speed").steps))
    family = list(variations(two, [varied_from_text(f"{k}.weight=0,1", two) for k in ("mirror", "retime")]))
    assert [name for name, _ in family[0].values] == ["mirror.weight", "retime.weight"] and len(family) == 4


@pytest.mark.parametrize(
    "text, said",
    [
        ("mirror.weights=1", "weight"), ("mirror=1", "STEP.setting"), ("blend.weight=1", "mirror"), ("mirror.weight=2", "weight"),
        ("mirror.plane=nowhere,world", "plane"), ("mirror.weight=", "STEP.setting"), ("mirror.weight=1,,2", "empty"),
        ("mirror.weight=0..1/2000", "2000"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_said_before_anything_is_written(text: str, said: str, tmp_path: Path) -> None:
    status, out, err = run("apply", WALK, *MIRROR, "--vary", text, "--out", tmp_path / "out")
    assert status == 2 and said in err and not out and not (tmp_path / "out").exists()


def test_a_setting_given_twice_and_a_name_that_is_not_varied(tmp_path: Path) -> None:
    recipe = recipe_from_text("mirror")
    once = varied_from_text("mirror.weight=0,1", recipe)
    with pytest.raises(RecipeError, match="twice"):
        list(variations(recipe, [once, once]))
    status, _, err = run("apply", WALK, *MIRROR, "--vary", "mirror.weight=0,1", "--name", "{speed}", "--out", tmp_path)
    assert status == 2 and "{weight}" in err


def test_a_place_on_a_grid_and_values_at_random() -> None:
    recipe = recipe_from_text('reach:limb="right hand",to=point,point=[0.3,1.2,0.4]')
    asked = [varied_from_text(t, recipe) for t in ("reach.point.x=0.1..0.5/3", "steps.0.point.y=0.9..1.5/4")]
    grid = list(variations(recipe, asked))
    places = [v.recipe.steps[0].settings.point for v in grid]
    assert len(set(places)) == 12 and {p[2] for p in places} == {0.4} and (0.3, 1.1, 0.4) in places
    assert grid[0].values == (("point_x", "0.1"), ("point_y", "0.9"))
    drawn = [varied_from_text(f"reach.weight=0.4..0.8~5#{seed}", recipe).values for seed in (1, 1, 2)]
    assert drawn[0] == drawn[1] != drawn[2] and all(0.4 <= v <= 0.8 for _, v in drawn[0]) and len(drawn[0]) == 5
    for bad in ("reach.point.w=1", "reach.limb.x=1", "reach.weight.x=0.5"):
        with pytest.raises(RecipeError):
            varied_from_text(bad, recipe)

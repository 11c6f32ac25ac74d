"""Names of version 0.6 are still read: in files, in recipes, on the command line; whoever writes them is told."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from reflexa.session.sources import demo_copy
from reflexa.steps import KINDS, from_plain, make, to_plain
from reflexa.steps.older import older_names
from reflexa.steps.registry import OLDER, fields
from reflexa.take.recipe import read_recipe
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND

# What 0.6 wrote → what is written today.
SETTINGS = [
    (("plants", "find", True), ("foot-lock", "find", True)),
    (("plants", "plants", [{"limb": "left foot", "first": 2, "last": 9}]), ("foot-lock", "contacts", None)),
    (("goal", "reaches", [{"start": 0, "at": 4, "until": 8, "end": 12}]), ("reach", "spans", None)),
    (("keep-in-world", "when", [{"start": 0, "at": 4, "until": 8, "end": 12}]), ("pin", "spans", None)),
    (("thin-keys", "degrees", 0.5), ("key-reduction", "degrees", 0.5)),
    (("correction", "reach", 30), ("correction", "falloff", 30)),
    (("events", "from_plants", True), ("events", "from_contacts", True)),
    (("blend", "line_up", "plants"), ("blend", "line_up", "contacts")),
]


@pytest.mark.parametrize(("older", "now"), SETTINGS, ids=lambda x: f"{x[0]} {x[1]}")
def test_a_step_of_0_6_is_read_and_written_by_its_name_of_today(older, now) -> None:
    step = from_plain({"kind": older[0], "settings": {older[1]: older[2]}})
    plain = json.loads(json.dumps(to_plain(step)))
    assert plain["kind"] == now[0] and older[0] not in set(KINDS) - {now[0]}
    assert plain["settings"][now[1]] == (older[2] if now[2] is None else now[2])
    assert older[1] == now[1] or older[1] not in plain["settings"]
    assert from_plain(plain) == step
    assert make(older[0]).kind == now[0]


def test_no_older_name_is_a_name_of_today() -> None:
    assert not set(OLDER) & set(KINDS)
    for kind in KINDS.values():
        today = {f.name for f in fields(kind.settings)}
        assert not set(kind.settings_were) & today and set(kind.settings_were.values()) <= today, kind.kind


def test_a_project_of_0_6_opens_to_the_same_takes(tmp_path: Path) -> None:
    from reflexa.project import store

    folder = demo_copy()
    takes = store.load(folder).takes
    file = folder / "takes" / "Winch, hands on the crank.take.json"
    text = file.read_text().replace('"kind": "reach"', '"kind": "goal"').replace('"spans"', '"reaches"')
    file.write_text(text)
    assert '"goal"' in text and '"reaches"' in text
    assert store.load(folder).takes == takes


def test_a_recipe_of_0_6_runs_with_one_line_of_advice(tmp_path: Path) -> None:
    recipe = tmp_path / "old.recipe.json"
    steps = [
        {"kind": "plants", "settings": {"share": 50}},
        {"kind": "correction", "id": "lean", "settings": {"reach": 20}},
    ]
    parameters = [{"name": "how soft", "step": "lean", "setting": "reach"}]
    recipe.write_text(
        json.dumps({"reflexa": "recipe", "version": 1, "name": "old", "steps": steps, "parameters": parameters})
    )
    clip, read = DATA / "humanoid3d_walk.bvh", read_recipe(recipe)
    assert [s.kind for s in read.steps] == ["foot-lock", "correction"] and read.parameters[0].setting == "falloff"
    out = ("--out", tmp_path / "out", "--json")
    status, _, err = run("apply", clip, "--recipe", recipe, "--set", "how soft=12", *out)
    assert status == 0
    assert (
        err.count("'plants' is called 'foot-lock' now") == 1
        and err.count("'reach' of correction is called 'falloff' now") == 1
    )
    status, _, err = run("apply", clip, "--step", "thin-keys:degrees=1", *out, "--force")
    assert status == 0 and err.count("'thin-keys' is called 'key-reduction' now") == 1
    _, _, err = run("apply", clip, "--step", "thin-keys", *out, "--force", "--quiet")
    assert "called" not in err


def test_names_of_today_are_told_nothing() -> None:
    assert older_names([to_plain(make(k)) for k in KINDS] + [None, {"kind": 3}]) == ()


def test_mend_still_fixes(tmp_path: Path) -> None:
    status, out, err = run("mend", f"{DECKHAND}", "--out", tmp_path / "out", "--json")
    assert status == 0 and json.loads(out)["clips"] and "'mend' is called 'fix' now" in err


def test_steps_describes_a_kind_by_its_older_name() -> None:
    status, out, _ = run("steps", "plants", "--json")
    assert status == 0 and json.loads(out)["steps"][0]["kind"] == "foot-lock"


def test_a_source_of_0_6_still_knows_the_library_folder_that_it_came_from(tmp_path: Path) -> None:
    from reflexa.project import store

    folder = demo_copy()
    project = folder / "project.json"
    plain = json.loads(project.read_text())
    plain["sources"][0] |= {"shelf": "captures", "on_shelf": "a/walk.bvh"}
    project.write_text(json.dumps(plain))
    source = store.load(folder).sources[0]
    assert (source.library_folder, source.library_path) == ("captures", "a/walk.bvh")

"""Two versions of a project in sentences, and clips against takes in numbers."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import msgspec
import pytest

from reflexa.project import store
from reflexa.review.changes import project_changes, take_changes
from reflexa.steps import Mask, make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take import Accepted, Range, Source, Take, View
from tests.helpers.commands import run
from tests.helpers.files import DATA

DEMO = DATA.parents[1] / "reflexa/demo/project"


def keyed(*frames: int):
    settings = CorrectionSettings(whole_clip=True)
    for f in frames:
        settings = set_key(settings, "head", f, 60, rotate=(float(f), 0.0, 0.0))
    return settings


BASE = Take(
    "t", Source("a.glb", "walk"),
    tuple(msgspec.structs.replace(s, id=s.kind) for s in (make("mirror"), make("foot-lock"), make("root-motion"))),
)  # fmt: skip


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        (lambda t: replace(t, steps=t.steps[1:]), ["step 'Mirror' removed"]),
        (lambda t: replace(t, steps=(t.steps[1], t.steps[2], t.steps[0])), ["step 'Mirror' moved from number 1 to 3"]),
        (lambda t: with_step(t, 0, weight=0.7), ["step 'Mirror': weight 1 → 0.7"]),
        (lambda t: with_step(t, 0, on=False), ["step 'Mirror': switched off"]),
        (lambda t: with_step(t, 0, name="port"), ["step 'port': called 'port', not 'Mirror'"]),
        (lambda t: with_step(t, 0, mask=Mask(parts=("left arm",))), ["step 'Mirror': mask the whole body → left arm"]),
        (lambda t: with_step(t, 0, envelope=((0, 0.0), (9, 1.0))), ["step 'Mirror': envelope full → 0: 0, 9: 1"]),
        (
            lambda t: with_step(t, 2, settings=msgspec.structs.replace(t.steps[2].settings, operation="in place")),
            ["step 'Root motion': operation from pelvis → in place"],
        ),
        (lambda t: replace(t, ranges=(Range("a", 0, 4),)), ["range 'a' added"]),
        (lambda t: replace(t, views=(View("ladder"),)), ["view 'ladder' added"]),
        (lambda t: replace(t, accepted=(Accepted("pop", "head", 0, 4),)), ["1 finding accepted, not 0"]),
        (lambda t: replace(t, export=replace(t.export, cycles=3)), ["export, cycles 1 → 3"]),
        (lambda t: t, []),
    ],
)  # fmt: skip
def test_what_changed_in_a_take_is_one_sentence(changed, said: list[str]) -> None:
    assert take_changes(BASE, changed(BASE)) == said


def with_step(take: Take, at: int, **to) -> Take:
    steps = list(take.steps)
    steps[at] = msgspec.structs.replace(steps[at], **to)
    return replace(take, steps=tuple(steps))


def test_keys_that_moved_are_told_as_moved() -> None:
    step = msgspec.structs.replace(make("correction", "nod"), id="c")
    a = replace(BASE, steps=(msgspec.structs.replace(step, settings=keyed(10, 20, 40)),))
    moved = keyed(10, 20)
    (track,) = moved.tracks
    far = msgspec.structs.replace(keyed(40).tracks[0].keys[0], frame=44)
    near = msgspec.structs.replace(track.keys[0], rotate=(12.0, 0.0, 0.0))
    track = msgspec.structs.replace(
        track, keys=(near, track.keys[1], far, msgspec.structs.replace(far, frame=50, rotate=(1.0, 0, 0)))
    )
    b = replace(a, steps=(msgspec.structs.replace(step, settings=msgspec.structs.replace(moved, tracks=(track,))),))
    assert take_changes(a, b) == [
        "step 'nod': key of head moved from frame 40 to 44",
        "step 'nod': key of head at frame 50 added",
        "step 'nod': key of head at frame 10: rotate (10, 0, 0) → (12, 0, 0)",
    ]


def test_projects_are_told_apart_by_the_command(tmp_path: Path) -> None:
    other = tmp_path / "other"
    shutil.copytree(DEMO, other)
    assert run("diff", DEMO, other)[:2] == (0, "no difference\n")
    project = store.load(other)
    first, second = project.takes[:2]
    third = with_step(project.takes[2], 0, on=False)
    store.save(
        replace(
            project, takes=(replace(first, name="Haul, larboard"), third, *project.takes[3:]), limits={"slide": 9.0}
        ),
        other,
    )
    status, out, _ = run("diff", DEMO, other)
    assert status == 1 and out.splitlines() == [
        f"Take {first.name!r} is called 'Haul, larboard'.",
        f"Take {second.name!r} removed.",
        f"Take {third.name!r}: step {third.steps[0].name!r}: switched off.",
        "Threshold slide: default → 9.",
    ]
    assert json.loads(run("diff", DEMO, other, "--json")[1])["differs"] is True
    assert project_changes(project, project) == []


def test_takes_in_another_order_are_a_change() -> None:
    """Else what was dragged and not saved would be taken for nothing after a crash, and thrown away."""
    project = store.load(DEMO)
    first, *others = project.takes
    moved = replace(project, takes=(*others, replace(first, folder="Ropes")))
    assert project_changes(project, moved) == [
        f"Take {first.name!r}: moved into the folder 'Ropes'.", f"Take {first.name!r} moved within the list of takes.",
    ]  # fmt: skip


def test_a_take_is_held_against_a_file(tmp_path: Path) -> None:
    take = f"{DEMO}#Walk, skating fixed"
    assert run("diff", take, take)[0] == 0
    status, out, _ = run("diff", take, f"{DEMO / 'sources/deckhand.glb'}#walk, skating", "--json")
    there = {d["joint"]: d for d in json.loads(out)["joints"]}
    back = json.loads(run("diff", f"{DEMO / 'sources/deckhand.glb'}#walk, skating", take, "--json")[1])["joints"]
    assert status == 1 and max(d["move"] for d in there.values()) > 1
    assert all(d["move"] == pytest.approx(there[d["joint"]]["move"]) for d in back), "symmetric"
    assert run("diff", DEMO, take)[0] == 3

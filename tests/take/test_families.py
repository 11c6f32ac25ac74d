"""Variations follow their take: whatever is edited there, each is that with its own values; undone, saved and read again."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.project import store
from reflexa.project.store import Project
from reflexa.review.changes import project_changes
from reflexa.session.history import History
from reflexa.session.selection import Place
from reflexa.steps import make
from reflexa.take import Export, Range, Source, Take, Varies
from reflexa.take.families import as_parent, between

MIRROR, PACE = make("mirror"), make("retime", how="speed", speed=1.0)
PARENT = Take("hit", Source("a.glb", "hit"), (MIRROR, PACE), id="parent")


def child(weight: float, speed: float) -> Take:
    own = ((MIRROR.id, "weight", weight), (PACE.id, "speed", speed))
    return as_parent(
        PARENT, Take(f"hit {weight} {speed}", PARENT.source, id=f"{weight} {speed}", varies=Varies("parent", own))
    )


FAMILY = (PARENT, child(0.5, 0.8), child(0.25, 1.4))


@pytest.fixture
def history() -> History:
    out = History()
    out.open(Project("p", takes=FAMILY))
    return out


def edit(history: History, take: Take) -> None:
    history.edit("edit", history.project.with_take(take.name, take), Place(), Place())


EDITS = {
    "a step more": lambda t: replace(t, steps=(*t.steps, make("reverse"))),
    "a step before": lambda t: replace(t, steps=(make("reverse"), *t.steps)),
    "the other order": lambda t: replace(t, steps=t.steps[::-1]),
    "a setting": lambda t: replace(t, steps=(with_fields(t.steps[0], on=False), t.steps[1])),
    "what varies": lambda t: replace(t, steps=(with_fields(t.steps[0], weight=0.9), t.steps[1])),
    "the step that varies is gone": lambda t: replace(t, steps=t.steps[1:]),
    "another clip": lambda t: replace(t, source=Source("b.glb", "jab")),
    "a range": lambda t: replace(t, ranges=(Range("first", 0, 9),)),
    "the export": lambda t: replace(t, export=Export(rate=24.0)),
    "another name": lambda t: replace(t, name="blow"),
}


@pytest.mark.parametrize("what", EDITS)
def test_whatever_is_edited_the_family_follows(what: str, history: History) -> None:
    new = EDITS[what](PARENT)
    history.edit("edit", history.project.with_take("hit", new), Place(), Place())
    for old, now in zip(FAMILY[1:], history.project.takes[1:], strict=True):
        assert (now.name, now.varies, now.id) == (old.name, old.varies, old.id)
        assert now.source == new.source and now.ranges == new.ranges and now.export == new.export
        assert [s.id for s in now.steps] == [s.id for s in new.steps]
        for mine, its in zip(now.steps, new.steps, strict=True):
            own = {k: v for s, k, v in old.varies.values if s == its.id}
            assert mine.weight == own.get("weight", its.weight) and mine.on == its.on
            assert mine.kind != "retime" or mine.settings.speed == own["speed"]
    history.undo(Place())
    assert history.project.takes == FAMILY


def test_a_value_of_its_own_is_edited_in_place_and_kept(history: History) -> None:
    mine = FAMILY[1]
    edit(history, replace(mine, steps=(with_fields(mine.steps[0], weight=0.6), mine.steps[1])))
    edit(history, replace(PARENT, steps=(*PARENT.steps, make("reverse"))))
    now = history.project.takes[1]
    own = {k: v for _, k, v in now.varies.values}
    assert now.steps[0].weight == 0.6 == own["weight"] and len(now.steps) == 3


def test_what_it_shares_is_edited_in_its_parent(history: History) -> None:
    for edited in (replace(FAMILY[1], steps=FAMILY[1].steps[:1]), replace(FAMILY[1], source=Source("b.glb", "jab"))):
        with pytest.raises(RecipeError, match="variation of 'hit'"):
            edit(history, edited)
    edit(history, replace(FAMILY[1], note="softer", folder="soft"))
    assert history.project.takes[1].note == "softer", "what is said of a take is its own"


def test_a_detached_one_and_one_without_its_parent_stand_alone(history: History) -> None:
    edit(history, replace(FAMILY[1], varies=None))
    edit(history, replace(PARENT, steps=()))
    assert len(history.project.takes[1].steps) == 2 and not history.project.takes[2].steps
    history.undo(Place())
    history.edit("remove", replace(history.project, takes=history.project.takes[1:]), Place(), Place())
    assert all(t.varies is None and len(t.steps) == 2 for t in history.project.takes)


def test_what_follows_is_told_where_two_projects_are_compared() -> None:
    project = Project("p", takes=FAMILY)
    alone = project.with_take(FAMILY[1].name, replace(FAMILY[1], varies=None))
    assert project_changes(project, alone) == [f"Take {FAMILY[1].name!r}: stands alone, and is no variation any more."]
    assert project_changes(alone, project) == [f"Take {FAMILY[1].name!r}: is a variation of another take."]


def test_a_family_is_saved_and_read(tmp_path: Path) -> None:
    project = Project("p", takes=FAMILY)
    store.save(project, tmp_path)
    now = store.load(tmp_path)
    assert now == project and [t.varies for t in now.takes] == [t.varies for t in FAMILY]


def test_in_between_numbers_are_mixed_and_nothing_else() -> None:
    half = between(PARENT, FAMILY[1], FAMILY[2], 0.5)
    assert half.steps[0].weight == 0.375 and half.steps[1].settings.speed == pytest.approx(1.1)
    for share, end in ((0.0, FAMILY[1]), (1.0, FAMILY[2])):
        assert between(PARENT, FAMILY[1], FAMILY[2], share).steps == end.steps
    words = [
        replace(t, varies=Varies("parent", ((PACE.id, "how", how),)))
        for t, how in zip(FAMILY[1:], ("speed", "length"), strict=True)
    ]
    with pytest.raises(RecipeError, match="differ in no number"):
        between(PARENT, *words, 0.5)

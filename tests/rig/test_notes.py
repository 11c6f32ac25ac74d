"""Rig documents under any edits, and projects that keep them."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.errors import ReadError
from reflexa.formats import read
from reflexa.formats.rigfile import RigDocument, read_rig
from reflexa.formats.text import pretty
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.rig import PARTS
from reflexa.rig import notes as edits
from reflexa.rig.foot_rest import stand_of, tilt_of
from reflexa.rig.notes import Notes, Rule, from_plain, notes_of, with_notes
from reflexa.rig.problems import problems
from reflexa.rig.soles import soles
from reflexa.steps import make
from reflexa.take import Cache, Source, Surroundings, Take, evaluate
from tests.helpers import rigs
from tests.helpers.files import DATA

RIG = rigs.rig(3, extras=True)
JOINTS = st.sampled_from(RIG.skeleton.names)
EDITS = st.lists(
    st.one_of(
        st.tuples(st.just("assign"), JOINTS, st.sampled_from(["", *PARTS])), st.tuples(st.just("pair"), JOINTS, JOINTS),
        st.tuples(st.just("unpair"), JOINTS), st.tuples(st.just("centre"), JOINTS),
        st.tuples(st.just("follow"), JOINTS, JOINTS), st.tuples(st.just("fit"), JOINTS, st.floats(-90, 90)),
    ),
    max_size=12,
)  # fmt: skip


def edited(notes: Notes, edit: tuple) -> Notes:
    kind, joint, *rest = edit
    if kind == "assign":
        return edits.assign(notes, joint, rest[0], RIG.skeleton.index)
    if kind == "pair":
        return edits.pair(notes, joint, rest[0]) if rest[0] != joint else notes
    if kind == "unpair":
        return edits.unpair(notes, joint)
    if kind == "centre":
        return edits.mark_centre(notes, joint)
    if kind == "follow":
        return edits.follow(notes, joint, Rule(rest[0]) if rest[0] != joint else None)
    return edits.set_fit(notes, "other", joint, (rest[0], 0.0, 1.0))


@settings(max_examples=80, deadline=None)
@given(EDITS)
def test_whatever_is_said_partners_stay_partners_and_parts_have_one_owner(said: list[tuple]) -> None:
    notes = notes_of(RIG)
    for edit in said:
        notes = edited(notes, edit)
    rig, unused = with_notes(RIG, notes)
    assert not unused, "edits name nothing that is not there, and pair nothing twice"
    assert np.array_equal(rig.partner[rig.partner], np.arange(len(rig.skeleton))), "a partner's partner is oneself"
    sides = rig.side_of
    assert sorted([*rig.centre, *rig.unpaired, *(n for p in rig.pairs for n in (p.left, p.right))]) == sorted(
        rig.skeleton.names
    )
    assert all(sides[rig.skeleton.index[p.left]] == "left" for p in rig.pairs)
    owners = [n for names in rig.body_map.values() for n in names]
    assert len(owners) == len(set(owners)), "a joint plays one part"
    again, unknown = from_plain(json.loads(pretty(edits.to_plain(notes, "made", RIG.key, {"x": 1}))))
    assert again == notes and unknown == {"x": 1}, "text keeps all of it"
    problems(rig)


def test_a_helper_may_follow_another_helper() -> None:
    names = list(RIG.helpers)
    notes = edits.follow(notes_of(RIG), names[1], Rule(names[0], "exactly"))
    rig, _ = with_notes(RIG, notes)
    from reflexa.steps.helper_joints import snapped

    out = snapped(rigs.clip(rig, 1, moving=True), rig)
    a, b = (out.model[1][:, rig.skeleton.index[n]] for n in names[:2])
    first = rig.skeleton.index[names[0]] < rig.skeleton.index[names[1]]
    assert not first or np.abs(a - b).max() < 1e-9


# Projects -----------------------------------------------------------------------------------------------------


def project() -> Project:
    notes = edits.set_fit(edits.unpair(notes_of(RIG), "shin_l"), "abc", "hand_l", (1.0, 2.0, 3.0))
    return Project(
        "p", (SourceFile("a.glb", facing="+X"),), (), (RigDocument("Deck", RIG.key, notes, {"colour": "blue"}),)
    )


def test_a_project_keeps_what_was_said_of_its_rigs(tmp_path: Path) -> None:
    p = project()
    store.save(p, tmp_path)
    assert store.load(tmp_path) == p
    before = {f: f.read_bytes() for f in tmp_path.rglob("*.json")}
    store.save(store.load(tmp_path), tmp_path)
    assert {f: f.read_bytes() for f in tmp_path.rglob("*.json")} == before, "saving again changes no byte"
    twin = p.with_rig(RigDocument("Deck", "other", Notes()))
    store.save(twin, tmp_path)
    assert {d.key for d in store.load(tmp_path).rigs} == {RIG.key, "other"}, "two rigs of one name have two files"
    store.save(twin.without_rig("other"), tmp_path)
    assert [f.name for f in (tmp_path / "rigs").iterdir()] == ["Deck.rig.json"], "what is gone is taken away"
    assert p.with_rig(RigDocument("x", RIG.key, Notes())).rig_document(RIG.key).name == "x"


@pytest.mark.parametrize(
    "text", ["", "{", '{"reflexa": "rig", "version": 2}', '{"reflexa": "rig", "version": 1, "centre": 4}']
)
def test_a_damaged_rig_document_is_told_and_left_as_it_is(tmp_path: Path, text: str) -> None:
    store.save(project(), tmp_path)
    path = tmp_path / "rigs" / "Deck.rig.json"
    path.write_text(text)
    (lost,) = store.load(tmp_path).lost
    assert "Deck.rig.json" in lost.reason and store.load(tmp_path).takes == project().takes
    store.save(store.load(tmp_path), tmp_path)
    assert path.read_text() == text


def test_a_rig_outside_the_project_is_refused(tmp_path: Path) -> None:
    store.save(project(), tmp_path)
    head = json.loads((tmp_path / "project.json").read_text())
    head["rigs"] = ["../../elsewhere.rig.json"]
    (tmp_path / "project.json").write_text(json.dumps(head))
    with pytest.raises(ReadError, match="outside the project"):
        store.load(tmp_path)


def test_a_document_can_be_edited_by_hand(tmp_path: Path) -> None:
    path = tmp_path / "a.rig.json"
    path.write_text(json.dumps({
        "reflexa": "rig", "version": 1, "name": "by hand", "body_map": {"head": "head", "spine": ["spine", "chest"]},
        "pairs": [{"left": "hand_l", "right": "hand_r", "found_by": "names"}], "centre": ["head"],
    }))  # fmt: skip
    document = read_rig(path)
    rig, unused = with_notes(RIG, document.notes)
    assert not unused and rig.body_map == {"spine": ("spine", "chest"), "head": ("head",)} and len(rig.pairs) == 1


# Evaluation across rigs ----------------------------------------------------------------------------------------


def test_a_take_over_two_rigs_is_cached_and_follows_what_is_said_of_either() -> None:
    a, b = rigs.rig(1), rigs.rig(2, 1, extras=True)
    clip, cache = rigs.clip(a, 1), Cache()
    take = Take("t", Source("f", "c"), (make("mirror"), make("retarget", rig="b"), make("mirror", "again")))
    first = evaluate(take, clip, a, Surroundings({"b": b}, cache=cache))
    assert first.rigs == (a, a, b, b) and first.result.skeleton is b.skeleton
    again = evaluate(take, clip, a, Surroundings({"b": b}, cache=cache))
    assert all(x is y for x, y in zip(first.clips, again.clips, strict=True))
    told, _ = with_notes(b, edits.unpair(notes_of(b), b.body_map["left shin"][0]))
    other = evaluate(take, clip, a, Surroundings({"b": told}, cache=cache))
    assert other.clips[1] is first.clips[1] and other.rig is told
    assert not np.array_equal(other.result.rotations, first.result.rotations), "an unpaired shin mirrors otherwise"
    off = Take("t", take.source, (take.steps[0], msgspec.structs.replace(take.steps[1], on=False), take.steps[2]))
    assert evaluate(off, clip, a, Surroundings({"b": b}, cache=cache)).rig is a
    alone = [r.mean() for r in first.ribbons]
    assert alone[1] == 1.0 and alone[2] > 0


def test_how_feet_stand_is_told_kept_and_forgotten() -> None:
    rig = read(DATA / "boxing_cut.bvh").rig
    found = stand_of(rig, "left")
    assert (found.by, found.sure) == ("rest pose", 0.8) and abs(tilt_of(rig, "left")) < 1e-6
    told, unused = with_notes(rig, edits.stand(notes_of(rig), rig, 0.11, 12.0))
    assert not unused
    for side in ("left", "right"):
        assert stand_of(told, side).by == "told" and stand_of(told, side).height == 0.11
        assert tilt_of(told, side) == pytest.approx(12.0, abs=1e-4)
        # Toes that are 12° lower than in rest are level where the foot stands.
        ahead = soles(told)[side].ahead
        assert abs(ahead @ np.array(stand_of(told, side).up)) < 1e-6
    again, _ = with_notes(rig, edits.mark_centre(notes_of(told), rig.skeleton.names[0]))
    assert stand_of(again, "left").by == "told", "another correction leaves it"
    back, _ = with_notes(rig, edits.stand_as_found(notes_of(again)))
    assert stand_of(back, "left") == found

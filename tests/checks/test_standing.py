"""Faults put into clean clips are found, clean clips say nothing, and a finding says which step brought it in."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest

from quality import clips as matrix
from quality import planted
from quality.figure import Figure
from reflexa.checks import CHECKS, Judged, Subject, grouped, judge, look
from reflexa.checks.judging.thresholds import document, from_plain, known, read_thresholds, text
from reflexa.errors import ReadError
from reflexa.formats import encode, read
from reflexa.motion import quat
from reflexa.motion.clip import rest_clip
from reflexa.steps import SOURCE, make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take import Accepted, Source, Take, evaluate
from tests.helpers import rigs
from tests.helpers.files import DATA

CAPTURES = ("humanoid3d_walk.bvh", "humanoid3d_run.bvh", "boxing_cut.bvh")


def figures() -> dict[str, Figure]:
    demo = {n: f for n, f in matrix.demo() if not any(x in n for x in (*planted.FAULTY, "step up"))}
    for name in CAPTURES:
        d = read(DATA / name)
        demo[name] = Figure(d.clips[0], d.rig)
    return demo


def test_clean_clips_say_nothing() -> None:
    assert {n: dict(k) for n, k in planted.clean(figures()).items() if k} == {}


@pytest.mark.parametrize("seed", [3, pytest.param(4, marks=pytest.mark.long)])
def test_planted_faults_are_found(seed: int) -> None:
    some = {n: f for n, f in figures().items() if "walk to the landing" in n or "idle" in n or "bvh" in n}
    found, missed = planted.hits(some, seed, times=1)
    assert sum(found.values()) > 50 and len(found) == len(planted.PLANTS)
    assert missed == []


def test_clips_without_anything_to_look_at() -> None:
    for seed in range(6):
        rig = rigs.rig(seed, 2, extras=bool(seed % 2))
        look(Subject(rest_clip(rig.skeleton), rig))
        look(Subject(rigs.clip(rig, seed, 2), rig))


def line_of(deckhand_clips, deckhand_rig, name: str, *steps) -> Judged:
    clip = deckhand_clips[name]
    return judge(evaluate(Take("t", Source("f", "c"), tuple(steps)), clip, deckhand_rig))


def popping(joint: str, frame: int):
    settings = set_key(CorrectionSettings(falloff=1), joint, frame, 128, rotate=(70.0, 20.0, 0.0))
    return msgspec.structs.replace(make("correction", "snaps"), settings=settings)


def test_blame_of_a_step_that_plants_a_fault(deckhand_clips, deckhand_rig) -> None:
    pop, mirror, root = popping("forearm_left", 60), make("mirror"), make("root-motion", operation="in place")
    judged = line_of(deckhand_clips, deckhand_rig, "walk to the landing", mirror, pop, root)
    pops = [f for f in judged.found if f.kind == "pop"]
    assert pops and {f.step for f in pops} == {pop.id} and abs(pops[0].worst - 60) <= 1
    assert [f.kind for f in judged.brought[pop.id]].count("pop") == len(pops) and not judged.brought[mirror.id]

    judged = line_of(deckhand_clips, deckhand_rig, "walk to the landing", pop, mirror)
    pops = [f for f in judged.found if f.kind == "pop"]
    assert pops and pops[0].joint == "forearm_right" and {f.step for f in pops} == {pop.id}, "through a mirror too"


def test_blame_through_time(deckhand_clips, deckhand_rig) -> None:
    pop = popping("forearm_left", 60)
    judged = line_of(deckhand_clips, deckhand_rig, "walk to the landing", pop, make("trim", first=20))
    (found,) = [f for f in judged.found if f.kind == "pop"]
    assert found.step == pop.id and abs(found.worst - 40) <= 1


def test_what_the_source_has_is_blamed_on_nobody_and_mended_by_who_did(deckhand_clips, deckhand_rig) -> None:
    contacts = make("foot-lock")
    judged = line_of(deckhand_clips, deckhand_rig, "walk, skating", make("mirror"))
    slides = [f for f in judged.found if f.kind == "slide"]
    assert len(slides) >= 7 and {f.step for f in slides} == {SOURCE}
    judged = line_of(deckhand_clips, deckhand_rig, "walk, skating", contacts)
    assert not [f for f in judged.found if f.kind == "slide"] and len(judged.fixed[contacts.id]) >= 7


def test_blame_of_a_fault_that_was_hidden_and_came_back(deckhand_clips, deckhand_rig) -> None:
    contacts, faster = make("foot-lock"), make("root-motion", operation="turn and scale", scale=1.25)
    judged = line_of(deckhand_clips, deckhand_rig, "walk, skating", contacts, faster)
    slides = [f for f in judged.found if f.kind == "slide"]
    assert slides and {f.step for f in slides} == {faster.id}


def test_one_fact_is_one_row(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["walk, skating"]
    found = look(Subject(clip, deckhand_rig))
    rows = grouped(found, deckhand_rig, clip.rate)
    assert {(g.kind, g.limb) for g in rows} == {("slide", "left leg"), ("slide", "right leg")}
    assert sum(len(g.findings) for g in rows) == len(found)
    assert all(g.findings[0].size == max(f.size for f in g.findings) for g in rows) and 1.0 < rows[0].seconds < 4.4
    put_up = [Accepted("slide", f.joint, *f.frames, "ice") for f in found if f.joint == "foot_left"]
    rows = grouped(found, deckhand_rig, clip.rate, put_up)
    assert [g.accepted for g in rows] == ["", "ice"]


def test_signs_that_flip_and_motion_of_no_joint_are_told(deckhand_clips, deckhand_rig, tmp_path: Path) -> None:
    clip = deckhand_clips["walk"]
    q = np.array(clip.rotations)
    q[10:, 3] *= -1
    path = tmp_path / "a.glb"
    data = encode([clip], deckhand_rig, "glb")
    path.write_bytes(data)
    assert not read(path).notes_on("walk")
    from reflexa.formats.imported import sign_notes

    (note,) = sign_notes("walk", clip.skeleton.names, q)
    assert note.joint == clip.skeleton.names[3] and note.frame == 10
    (found,) = CHECKS["read"].run(Subject(clip, deckhand_rig, notes=(note,)))
    assert found.kind == "sign" and found.frames == (10, 10)


def test_scaled_joints_are_found(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["walk"]
    scales = np.ones((clip.frames, len(deckhand_rig.skeleton), 3))
    scales[5:9, 2] = 1.2
    (found,) = CHECKS["scale"].run(Subject(replace(clip, scales=scales), deckhand_rig))
    assert found.frames == (5, 8) and found.size == pytest.approx(20.0)


def test_keys_and_ranges_outside_the_clip_are_found(deckhand_clips, deckhand_rig) -> None:
    from reflexa.take import Range

    clip = deckhand_clips["walk"]
    step = popping("forearm_left", 60)
    found = CHECKS["outside-range"].run(
        Subject(clip, deckhand_rig, steps=(step,), ranges=(Range("late", 10, 50), Range("good", 0, 9)))
    )
    assert [f.text.split()[1] for f in found] == ["range", "keys"] and all(f.size > 0 for f in found)


def test_a_turned_bone_is_a_flip_and_one_that_goes_round_a_spin(deckhand_clips, deckhand_rig) -> None:
    clip, joint = deckhand_clips["walk to the landing"], deckhand_rig.joint("left thigh")
    q = np.array(clip.rotations)
    q[40:, joint] = quat.multiply(q[40:, joint], quat.about(1, np.pi))
    found = CHECKS["flip"].run(Subject(clip.with_motion(quat.continuous(q), clip.translations), deckhand_rig))
    assert [f.frames for f in found if f.joint == "thigh_left"] == [(39, 40)]


# Thresholds ------------------------------------------------------------------------------------------------------


def test_thresholds_are_a_readable_file(tmp_path: Path, deckhand_clips, deckhand_rig) -> None:
    path = tmp_path / "thresholds.json"
    path.write_text(text({"slide": 20.0}))
    assert read_thresholds(path) == {"slide": 20.0}
    assert all(entry["unit"] and entry["why"] for entry in document({})["thresholds"].values())
    clip = deckhand_clips["walk, skating"]
    assert not CHECKS["slide"].run(Subject(clip, deckhand_rig, limits={"slide": 20.0}))
    assert {"slide", "penetration", "seam", "pop", "freeze", "spin", "flip-speed"} <= set(known())


@pytest.mark.parametrize(
    ("said", "place"),
    [
        ({"thresholds": {"slyde": {"value": 1}}}, "slyde"),
        ({"thresholds": {"slide": {"value": "1"}}}, "slide.value"),
        ({"thresholds": {"slide": {"value": float("nan")}}}, "slide.value"),
        ({"thresholds": {"slide": {"value": -1}}}, "slide.value"),
        ({"thresholds": {"slide": {"value": 1, "unit": "m"}}}, "slide.unit"),
        ({"thresholds": 5}, "thresholds"),
    ],
)
def test_bad_thresholds_say_where(said, place: str) -> None:
    with pytest.raises(ReadError) as e:
        from_plain(said, "thresholds.json")
    assert place in e.value.place


def test_a_threshold_that_was_told_otherwise_is_read_as_it_was_meant() -> None:
    """Flips were told in degrees a frame, of thirty a second."""
    written = {"thresholds": {"flip": {"value": 45.0, "unit": "°", "why": ""}}}
    assert from_plain(written) == {"flip-speed": 1350.0} and from_plain({"thresholds": {"flip": 60}}) == {}

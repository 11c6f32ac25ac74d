"""Findings about time: faults put in on purpose are found, and clean clips say nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from reflexa.checks import CHECKS, Finding, findings, grouped
from reflexa.checks.model import Subject
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event
from reflexa.rig import Rig
from reflexa.steps import apply, make
from tests.helpers import rigs
from tests.helpers.files import DATA

CAPTURES = ["humanoid3d_walk.bvh", "humanoid3d_run.bvh", "boxing_cut.bvh"]
KINDS = ("seam", "pop", "freeze", "rest-pose", "outside-range")


def found(kind: str, clip: Clip, rig: Rig) -> list[Finding]:
    return CHECKS[kind].run(Subject(clip, rig))


@pytest.mark.parametrize("kind", KINDS)
def test_nothing_is_found_in_clean_clips(kind: str, deckhand_clips, deckhand_rig) -> None:
    for clip in deckhand_clips.values():
        assert found(kind, clip, deckhand_rig) == [], clip.name
    for name in CAPTURES:
        document = read(DATA / name)
        assert found(kind, document.clips[0], document.rig) == [], name


@pytest.mark.parametrize("degrees", [40, 60, 90])
@pytest.mark.parametrize("name", CAPTURES)
def test_a_joint_that_pops_for_one_frame_is_found_where_it_does(name: str, degrees: int) -> None:
    document = read(DATA / name)
    clip, rig, r = document.clips[0], document.rig, np.random.default_rng(degrees)
    for part in ("left upper arm", "head", "right shin"):
        joint, at = rig.joint(part), int(r.integers(6, clip.frames - 6))
        if joint < 0:
            continue
        q = np.array(clip.rotations)
        axis = r.normal(size=3)
        q[at, joint] = quat.multiply(q[at, joint], quat.from_rotvec(np.radians(degrees) * axis / np.linalg.norm(axis)))
        (one, *_) = found("pop", clip.with_motion(q, clip.translations), rig)
        assert abs(one.worst - at) <= 1 and one.joint == clip.skeleton.names[joint]


def test_a_loop_that_jumps_is_found_and_closed_by_its_repair(deckhand_clips, deckhand_rig) -> None:
    part = replace(deckhand_clips["walk to the landing"].cut(3, 69), loop=True)
    (one,) = found("seam", part, deckhand_rig)
    assert one.unit == "cm" and one.size > 1.0
    fixed = apply(make(one.repair.kind, **one.repair.settings), part, deckhand_rig)
    assert found("seam", fixed, deckhand_rig) == []


def test_frozen_frames_are_found_and_cut_out(deckhand_clips, deckhand_rig) -> None:
    held = apply(make("hold", frame=40, frames=60, ease=0), deckhand_clips["walk to the landing"], deckhand_rig)
    (one,) = found("freeze", held, deckhand_rig)
    assert one.frames == (40, 100) and one.size == pytest.approx(2.0, abs=0.05)
    assert Subject(held, deckhand_rig, steps=(make("hold"),)) and not CHECKS["freeze"].run(
        Subject(held, deckhand_rig, steps=(make("hold"),))
    ), "what a step holds is held on purpose"
    fixed = apply(make(one.repair.kind, **one.repair.settings), held, deckhand_rig)
    assert fixed.frames == 129 and found("freeze", fixed, deckhand_rig) == []


def test_an_event_outside_the_clip_is_found(deckhand_clips, deckhand_rig) -> None:
    late = replace(deckhand_clips["walk"], events=(Event(40.0, "late"), Event(3.0, "good")))
    (one,) = found("outside-range", late, deckhand_rig)
    assert "late" in one.text and one.size == 8.0


def test_every_kind_of_finding_has_a_title_of_its_check() -> None:
    """Also of a check that gives several kinds: the rig's."""
    for check in CHECKS.values():
        titles = [check.title_of(kind) for kind in check.gives]
        assert all(titles) and (len(set(titles)) == len(titles) or not check.titles), check.name
    rig = rigs.rig(3, 1, uneven=0.06)
    found = [f for f in findings(rigs.clip(rig, 3), rig) if f.kind == "asymmetry"]
    (group,) = {g.title for g in grouped(found, rig, 30.0)}
    assert group == CHECKS["rig"].titles["asymmetry"]

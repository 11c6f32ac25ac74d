"""Fixing all: repairs of one kind are one step, each finding is a row, and rows can be taken out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from reflexa.checks.judging import fix as fixing
from reflexa.checks.judging.fix import Fixed, fix
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.take import Source, Take
from tests.helpers.files import DATA


def popping(name: str, every: int = 25) -> tuple[Clip, Rig, list[int]]:
    """A capture in which one joint after the other jumps for a frame."""
    document = read(DATA / name)
    (clip,) = document.clips
    rotations, random = np.array(clip.rotations), np.random.default_rng(5)
    at = list(range(40, clip.frames - 20, every))
    for frame in at:
        joint = int(random.integers(3, len(clip.skeleton)))
        rotations[frame, joint] = quat.multiply(rotations[frame, joint], quat.about(0, np.array(1.2)))
    return clip.with_motion(rotations, clip.translations), document.rig, at


def fixed(clip: Clip, rig: Rig, take: Take | None = None) -> Fixed:
    return fix(take or Take("it", Source("it.bvh", clip.name)), (clip, rig))


@pytest.mark.parametrize("name", ["01_01_cut.bvh", "boxing_cut.bvh"])
def test_many_pops_are_one_step_that_touches_nothing_else(name: str) -> None:
    clip, rig, at = popping(name)
    done = fixed(clip, rig)
    pops = [r for r in done.rows if r.finding == "pop"]
    assert len(pops) == len(at) and all(r.kept and r.after == 0 and r.before > 60 for r in pops)
    assert len({r.step for r in pops}) == 1
    bridges = [s for s in done.take.steps if s.kind == "correction"]
    assert len(bridges) == 1 and bridges[0].name == pops[0].step
    i = done.take.index(bridges[0].id)
    before, after = done.line.clips[i], done.line.clips[i + 1]
    moved = quat.angle(quat.multiply(quat.conjugate(before.rotations), after.rotations)) > 1e-9
    spans = np.zeros(before.frames, bool)
    for r in pops:
        spans[r.first : r.last + 1] = True
    assert not moved[~spans].any(), "only the moments of the pops"
    for r in pops:
        others = [j for j, n in enumerate(clip.skeleton.names) if moved[r.first : r.last + 1, j].any()]
        assert len(others) <= 2, "and the joints that pop"


def test_a_row_that_is_taken_out_pops_again() -> None:
    clip, rig, _ = popping("boxing_cut.bvh")
    done = fixed(clip, rig)
    rows = done.rows
    wanted = {i for i, r in enumerate(rows) if r.kept}
    assert done.with_rows(wanted) == done.take
    out = min(wanted)
    again = fixed(clip, rig, done.with_rows(wanted - {out}))
    assert [(r.joint, r.first) for r in again.rows] == [(rows[out].joint, rows[out].first)]
    assert len(again.take.steps) == len(done.take.steps), "the step that is there is extended"
    assert not again.left
    assert done.with_rows(()).steps == ()


def test_what_does_not_help_is_left_out_and_the_others_stay(monkeypatch) -> None:
    clip, rig, _ = popping("boxing_cut.bvh")
    bad = fixed(clip, rig).rows[2].joint
    worse = fixing._worse

    def refused(before, after, f):
        led = {x.joint for x in before if x.kind == "pop"} - {x.joint for x in after if x.kind == "pop"}
        return "it looks wrong" if bad in led else worse(before, after, f)

    monkeypatch.setattr(fixing, "_worse", refused)
    done = fixed(clip, rig)
    rows = [r for r in done.rows if r.finding == "pop"]
    assert {r.joint for r in rows if not r.kept} == {bad} and all(r.why == "it looks wrong" for r in rows if not r.kept)
    assert sum(r.kept for r in rows) >= len(rows) - 2


def test_one_repair_of_many_findings_has_a_row_for_each(deckhand_rig: Rig, deckhand_clips) -> None:
    done = fixed(deckhand_clips["walk, skating"], deckhand_rig)
    slides = [r for r in done.rows if r.finding == "slide"]
    assert len(slides) > 1 and all(r.kept for r in slides)
    assert [s.kind for s in done.take.steps] == ["foot-lock"]
    assert done.with_rows({0}).steps and not done.with_rows(()).steps


def test_a_clean_clip_needs_nothing(deckhand_rig: Rig, deckhand_clips) -> None:
    done = fixed(replace(deckhand_clips["walk"]), deckhand_rig)
    assert done.rows == [] and done.take.steps == ()


def test_rows_of_one_repair_go_together(deckhand_rig: Rig, deckhand_clips) -> None:
    done = fixed(deckhand_clips["walk, skating"], deckhand_rig)
    kept = {i for i, r in enumerate(done.rows) if r.kept}
    assert done.together(min(kept)) == kept and not done.with_rows(kept - done.together(min(kept))).steps
    pops = fixed(*popping("boxing_cut.bvh")[:2])
    assert pops.together(0) == {0}

"""Findings against the source: hands parted, legs squashed in flight, feet off what they stand on."""

from __future__ import annotations

import numpy as np

from quality import clips
from quality.figure import Figure
from quality.operations import run
from reflexa.checks import Subject
from reflexa.checks.flight import GRAVITY
from reflexa.checks.registry import CHECKS
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.steps import Step, make
from tests.checks.test_weight import leaping

MADE = dict(clips.demo())
RIGS = clips.demo_rigs()


def kinds(source: Figure, result: Figure, *steps: Step) -> list[str]:
    subject = Subject(result.clip, result.rig, steps=steps, source=(source.clip, source.rig))
    return [f.kind for f in CHECKS["parted"].run(subject)]


def test_hands_that_a_broad_figure_parts_are_found_and_kept_ones_are_not() -> None:
    haul, to = MADE["deckhand: rope haul"], {"k": RIGS["ferrykeeper"].rig}
    kept, parted = make("retarget", rig="k"), make("retarget", rig="k", relations=False)
    assert kinds(haul, run(kept, haul, rigs=to), kept) == []
    assert kinds(haul, run(parted, haul, rigs=to), parted) == ["parted"]
    assert kinds(haul, haul) == []


def bent(clip: Clip, rig, by: float, frames: slice) -> Clip:  # type: ignore[no-untyped-def]
    rotations = np.array(clip.rotations)
    shin = rig.joint("left shin")
    turn = quat.from_rotvec(np.array([np.radians(by), 0.0, 0.0]))
    own = quat.multiply(quat.conjugate(clip.model[0][frames, clip.skeleton.parents[shin]]), turn)
    own = quat.multiply(own, clip.model[0][frames, clip.skeleton.parents[shin]])
    rotations[frames, shin] = quat.multiply(own, rotations[frames, shin])
    return clip.with_motion(rotations, clip.translations)


def test_a_leg_that_is_bent_in_the_air_alone_is_found() -> None:
    rig = RIGS["deckhand"].rig
    clip, step = leaping(0.7, GRAVITY), make("correction")
    source = Figure(clip, rig)
    in_air, on_ground = (Figure(bent(clip, rig, 30, at), rig) for at in (slice(12, 22), slice(0, 6)))
    assert kinds(source, in_air, step) == ["squashed"]
    assert kinds(source, on_ground, step) == []


def test_where_time_was_changed_nobody_compares_frames() -> None:
    haul = MADE["deckhand: rope haul"]
    step = make("reverse")
    assert kinds(haul, run(step, haul), step) == []


def test_a_foot_that_stands_tilted_is_found_with_its_size() -> None:
    haul = MADE["deckhand: rope haul"]
    check = CHECKS["turned-foot"]
    assert not check.run(Subject(haul.clip, haul.rig))
    foot = haul.rig.joint("left foot")
    rotations = np.array(haul.clip.rotations)
    turned = haul.clip.model[0][:, foot]
    tilt = quat.from_rotvec(np.array([0.0, 0.0, np.radians(32.0)]))
    rotations[:, foot] = quat.multiply(
        rotations[:, foot], quat.multiply(quat.multiply(quat.conjugate(turned), tilt), turned)
    )
    found = check.run(Subject(haul.clip.with_motion(rotations, haul.clip.translations), haul.rig))
    assert [f.kind for f in found] == ["turned-foot"] and 28 < found[0].size < 36

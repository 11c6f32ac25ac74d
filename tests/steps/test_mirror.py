"""The mirror: what must hold on any rig, and a walk whose symmetry is known."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest

from reflexa.checks import CHECKS, Subject
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import cycle, quat
from reflexa.motion.clip import Clip, rest_clip
from reflexa.rig import analyse
from reflexa.rig.helpers import distances
from reflexa.rig.notes import Rule, notes_of, with_notes
from reflexa.steps import apply, make
from reflexa.steps.helper_joints import snapped
from reflexa.steps.mirror import MirrorSettings, mirror, start_heading
from tests.helpers import rigs
from tests.helpers.files import DATA

PLANES = ["own start", "world"]


def degrees_apart(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.degrees(quat.angle(quat.multiply(quat.conjugate(a), b)).max()))


@pytest.mark.parametrize("seed", range(6))
def test_positions_are_the_partners_reflection(seed: int) -> None:
    rig = rigs.rig(seed, seed)
    clip = rigs.clip(rig, seed, moving=seed % 2 == 1)
    out = mirror(clip, rig, MirrorSettings("world"))
    expected = clip.model[1][:, rig.partner] * [-1, 1, 1]
    assert np.abs(out.model[1] - expected).max() < 1e-6


@pytest.mark.parametrize("plane", PLANES)
@pytest.mark.parametrize("seed", range(6))
def test_twice_is_once_around(seed: int, plane) -> None:
    """Also on rigs that are not symmetric, or lack a partner."""
    rig = rigs.rig(seed, seed, uneven=0.02 if seed > 3 else 0.0, drop=("hand_r",) if seed == 0 else ())
    clip = rigs.clip(rig, seed, moving=True)
    twice = mirror(mirror(clip, rig, MirrorSettings(plane)), rig, MirrorSettings(plane))
    assert np.radians(degrees_apart(clip.rotations, twice.rotations)) < 1e-7  # arccos-free angle, float64 noise
    assert np.abs(1 - np.abs(np.sum(clip.rotations * twice.rotations, -1))).max() < 1e-14
    assert np.abs(twice.translations - clip.translations).max() < 1e-9
    assert twice.events == clip.events


def test_own_start_keeps_place_and_heading() -> None:
    rig = rigs.rig(7)
    clip = rigs.clip(rig, 8)
    out = mirror(clip, rig, MirrorSettings())
    before, after = start_heading(clip, rig), start_heading(out, rig)
    assert degrees_apart(before[0], after[0]) < 1e-6 and np.abs(before[1] - after[1]).max() < 1e-12


def test_rest_stays_rest_and_events_change_sides() -> None:
    rig = rigs.rig(9)
    rest = rest_clip(rig.skeleton)
    assert np.abs(mirror(rest, rig, MirrorSettings()).model[1] - rest.model[1]).max() < 1e-9
    assert mirror(rigs.clip(rig, 1), rig, MirrorSettings()).events[0].name == "step_right"


def test_the_shared_walk_is_its_own_mirror_half_a_cycle_later() -> None:
    """Frames 0-37 of the shared walk are one exactly symmetric cycle of 38 frames (tests/data/SOURCES.md)."""
    document = read(DATA / "humanoid3d_walk.bvh")
    clip = document.clips[0]
    out = mirror(clip, document.rig, MirrorSettings("world"))
    i = np.arange(38)
    assert degrees_apart(out.rotations[i], clip.rotations[(i + 19) % 38]) < 1e-4


def test_the_demo_walk_is_its_own_mirror_half_a_cycle_later(deckhand_rig, deckhand_clips) -> None:
    clip = deckhand_clips["walk on the spot"]
    out = mirror(clip, deckhand_rig, MirrorSettings("world"))
    i = np.arange(32)
    assert np.abs(out.model[1][i] - clip.model[1][(i + 16) % 32]).max() < 1e-3


def test_scales_go_to_the_partner() -> None:
    from dataclasses import replace

    rig = rigs.rig(2)
    clip = rigs.clip(rig, 2)
    scales = np.ones_like(clip.translations)
    j = rig.skeleton.index["hand_l"]
    scales[:, j] = 1.5
    out = mirror(replace(clip, scales=scales), rig, MirrorSettings())
    assert np.allclose(out.scales[:, rig.partner[j]], 1.5) and np.allclose(out.scales[:, j], 1.0)


@pytest.mark.parametrize("plane", PLANES)
@pytest.mark.parametrize("seed", range(4))
def test_one_side_onto_the_other_is_symmetric_against_what_carries_it(seed: int, plane) -> None:
    """The taking limbs move as the giving ones, mirrored, against the centre joint above; all else stays bit for bit."""
    rig = rigs.rig(seed, seed)
    clip = rigs.clip(rig, seed)
    out = mirror(clip, rig, MirrorSettings(plane, "left onto right"))
    right = [j for j, s in enumerate(rig.side_of) if s == "right"]
    others = [j for j in range(len(rig.skeleton)) if j not in right]
    assert np.array_equal(out.rotations[:, others], clip.rotations[:, others])
    rest = rig.skeleton.rest_model[0]
    delta = quat.multiply(out.model[0], quat.conjugate(rest))
    chest, pelvis = rig.skeleton.index["chest"], rig.joint("pelvis")
    for part, carrier in (("forearm", chest), ("foot", pelvis)):
        left, r = (
            quat.multiply(quat.conjugate(delta[:, carrier]), delta[:, rig.joint(f"{side} {part}")])
            for side in ("left", "right")
        )
        assert (
            degrees_apart(r, left * [1, -1, -1, 1]) < 1e-5
        )  # reflection across x: x stays, y and z of the axis turn over
    back = mirror(out, rig, MirrorSettings(plane, "right onto left"))
    assert degrees_apart(back.rotations, out.rotations) < 1e-5, "a symmetric pose stays as it is"


def test_half_a_cycle_on_the_walk_starts_with_the_same_foot(deckhand_rig, deckhand_clips) -> None:
    """The demo walk is its own mirror half a cycle later: mirrored and shifted it is itself, travel included."""
    for name in ("walk", "walk on the spot"):
        clip = deckhand_clips[name]
        out = mirror(clip, deckhand_rig, MirrorSettings(half_cycle=True))
        body = [j for n, j in deckhand_rig.skeleton.index.items() if "mark" not in n]
        assert np.abs(out.model[1][:, body] - clip.model[1][:, body]).max() < 2e-3
        assert [(e.frame, e.name) for e in out.events] == [(0, "step_left"), (16, "step_right")]


def test_a_shifted_loop_goes_on_over_turning_travel() -> None:
    """A loop that walks a curve: shifted by a third of its cycle and back again it is where it was."""
    rig = rigs.rig(3)
    base = rigs.clip(rig, 3, frames=13)
    angle = np.radians(60) * np.arange(13) / 12
    turn = quat.about(1, angle)
    q, t = np.tile(base.rotations[:1], (13, 1, 1)), np.tile(base.translations[:1], (13, 1, 1))
    j = rig.skeleton.roots[0]
    q[:, j] = quat.multiply(turn, q[:, j])
    t[:, j] = quat.rotate(turn, [2.0, 0.9, 0.0])  # round the origin
    clip = base.with_motion(quat.continuous(q), t)
    out = cycle.shifted(clip, rig.travel_joint, 4)
    steps = np.linalg.norm(np.diff(out.model[1][:, j], axis=0), axis=-1)
    assert np.ptp(steps) < 1e-9 and np.allclose(out.model[1][0, j], clip.model[1][0, j])
    again = cycle.shifted(out, rig.travel_joint, 8)
    assert np.abs(again.model[1] - clip.model[1]).max() < 1e-9


def test_helper_joints_on_their_rule_stay_on_it_where_the_rig_is_uneven() -> None:
    rig = rigs.rig(5, extras=True, uneven=0.02)
    clip = snapped(rigs.clip(rig, 5), rig)
    out = mirror(clip, rig, MirrorSettings())
    assert max(d.max() for d, _ in distances(rig.neutral, rig.helpers, *out.model).values()) < 1e-9
    loose = mirror(clip, rig, MirrorSettings(helpers=False))
    assert max(d.max() for d, _ in distances(rig.neutral, rig.helpers, *loose.model).values()) > 1e-3


# Helper joints ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("how", ["exactly", "rest offset"])
def test_helper_joints_are_snapped_and_nothing_else_moves(how) -> None:
    rig = rigs.rig(7, extras=True)
    rules = {n: Rule(h.follows, how) for n, h in rig.helpers.items()}
    rig, _ = with_notes(rig, msgspec.structs.replace(notes_of(rig), helpers=rules))
    clip = rigs.clip(rig, 7, moving=True)
    before = CHECKS["helper"].run(Subject(clip, rig))
    assert len(before) == 4 and all(f.size > 1 and f.repair.kind == "helper-joints" for f in before)
    out = apply(make("helper-joints"), clip, rig)
    assert not CHECKS["helper"].run(Subject(out, rig))
    kept = [j for n, j in rig.skeleton.index.items() if n not in rig.helpers]
    assert np.array_equal(out.rotations[:, kept], clip.rotations[:, kept])
    for name, rule in rig.helpers.items():
        j, f = rig.skeleton.index[name], rig.skeleton.index[rule.follows]
        if how == "exactly":
            assert degrees_apart(out.model[0][:, j], out.model[0][:, f]) < 1e-5
        assert np.abs(out.model[1][:, j] - out.model[1][:, f]).max() < 1e-9
    one = apply(make("helper-joints", joints=(next(iter(rig.helpers)),)), clip, rig)
    assert len(CHECKS["helper"].run(Subject(one, rig))) == 3


def test_half_a_cycle_is_refused_where_there_is_no_cycle() -> None:
    """A clip whose end is nowhere near its start has no other half to begin with: it is said how far it is off."""
    rig = rigs.rig(3)
    clip = rigs.clip(rig, 3, 30)
    with pytest.raises(RecipeError, match=r"is not closed: its end is \d+ cm and \d+° away from its start"):
        mirror(clip, rig, MirrorSettings(half_cycle=True))


def test_hands_that_meet_still_meet_where_one_arm_is_longer(deckhand_clips, deckhand_rig) -> None:
    haul, s = deckhand_clips["rope haul"], deckhand_rig.skeleton
    longer = np.array(s.rest_translations)
    hand = s.index["hand_right"]
    longer[hand] *= 1.15
    skeleton = replace(s, rest_translations=longer)
    rig = analyse(skeleton, facing=deckhand_rig.facing)
    translations = np.array(haul.translations)
    translations[:, hand] = longer[hand]
    clip = replace(haul, skeleton=skeleton, translations=translations, contacts=None)

    def apart(c: Clip) -> np.ndarray:
        return np.linalg.norm(c.model[1][:, hand] - c.model[1][:, s.index["hand_left"]], axis=1)

    together = apart(clip) < np.quantile(apart(clip), 0.3)
    kept, plain = (mirror(clip, rig, MirrorSettings(relations=on)) for on in (True, False))
    off = [float(np.abs(apart(c) - apart(clip))[together].max()) for c in (kept, plain)]
    assert off[0] < 0.01 < off[1], "within a centimetre"
    assert np.array_equal(mirror(haul, deckhand_rig, MirrorSettings()).rotations,
                          mirror(haul, deckhand_rig, MirrorSettings(relations=False)).rotations)  # fmt: skip

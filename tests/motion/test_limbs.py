"""Limbs that reach, and feet that stand: the law of cosines, softness, hysteresis."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.demo import ik
from reflexa.motion import kinematics, quat, stances
from reflexa.motion.clip import rest_clip
from reflexa.motion.kernels.parts import Limb
from reflexa.motion.limbs import Posed, limb, pelvis_drop, reach, reach_chain
from reflexa.motion.skeleton import chain
from reflexa.motion.smoothing import Timing
from tests.helpers import rigs

SEEDS = st.integers(0, 10_000)


@settings(max_examples=40, deadline=None)
@given(SEEDS)
def test_the_middle_joint_obeys_the_law_of_cosines(seed: int) -> None:
    """c² = a² + b² − 2ab cos γ (Euclid, Elements II 12 and 13) for random limbs and reachable targets."""
    rng = np.random.default_rng(seed)
    a, b = rng.uniform(0.1, 2, 2)
    c = rng.uniform(abs(a - b) + 1e-3, (a + b) * 0.97)
    root, way, pole = rng.normal(size=3), rng.normal(size=3), rng.normal(size=3)
    target = root + c * way / np.linalg.norm(way)
    knee, end = ik.middle(root[None], target[None], a, b, pole[None])
    assert np.abs(end[0] - target).max() < 1e-9
    assert np.linalg.norm(knee[0] - root) == pytest.approx(a) and np.linalg.norm(end[0] - knee[0]) == pytest.approx(b)
    u, v = root - knee[0], end[0] - knee[0]
    gamma = np.arccos(np.clip(u @ v / (a * b), -1, 1))
    assert c**2 == pytest.approx(a**2 + b**2 - 2 * a * b * np.cos(gamma))
    assert (knee[0] - root) @ (pole - (pole @ way) * way / (way @ way)) > 0, "it bends towards the pole"


@settings(max_examples=40, deadline=None)
@given(st.floats(0.2, 3), st.floats(0, 1))
def test_softness_never_reaches_full_length_and_never_goes_back(longest: float, share: float) -> None:
    start = longest * (0.9 + 0.0999 * share)
    d = np.linspace(0, 3 * longest, 4000)
    out = ik.softened(d, longest, np.full_like(d, start))
    assert np.array_equal(out[d <= start], d[d <= start]), "below the start nothing changes"
    assert np.all(out <= longest) and np.all(np.diff(out) >= 0)
    slope = np.diff(out) / np.diff(d)
    assert slope.max() < 1 + 1e-6 and np.abs(np.diff(out)).max() <= (d[1] - d[0]) * (1 + 1e-6), "no jump"


def bends(posed: Posed, l: Limb) -> np.ndarray:
    """As the limb is bent, which is taken to be the way it is made."""
    upper, lower = (
        posed.placed[:, l.middle] - posed.placed[:, l.root],
        posed.placed[:, l.end] - posed.placed[:, l.middle],
    )
    axis = quat.rotate(quat.conjugate(posed.turned[:, l.root]), np.cross(upper, lower))
    return axis / np.maximum(np.linalg.norm(axis, axis=1, keepdims=True), 1e-12)


def _posed(seed: int, frames: int = 5) -> tuple[Posed, object]:
    rig = rigs.rig(seed, seed, extras=True)
    clip = rigs.clip(rig, seed, frames)
    turned, placed = (np.array(a) for a in clip.model)
    return Posed(rig.skeleton, turned, placed, np.array(clip.rotations), set()), rig


@settings(max_examples=20, deadline=None)
@given(SEEDS)
def test_a_limb_reaches_keeps_its_bones_and_carries_what_hangs_on_it(seed: int) -> None:
    posed, rig = _posed(seed)
    rng = np.random.default_rng(seed)
    l = limb(rig.skeleton, *(rig.joint(f"left {p}") for p in ("upper arm", "forearm", "hand")))
    before_turned, before = posed.turned.copy(), posed.placed.copy()
    root = before[:, l.root]
    longest = sum(
        np.linalg.norm(before[:, b] - before[:, a], axis=-1)[0] for a, b in ((l.root, l.middle), (l.middle, l.end))
    )
    way = rng.normal(size=(len(root), 3))
    goal = root + way / np.linalg.norm(way, axis=-1, keepdims=True) * longest * rng.uniform(0.5, 0.95, (len(root), 1))
    short = reach(posed, l, goal, bends(posed, l))
    assert short.max() < 1e-9 and np.abs(posed.placed[:, l.end] - goal).max() < 1e-9
    assert np.array_equal(posed.turned[:, l.end], before_turned[:, l.end]), "the hand keeps its turn"
    parents = rig.skeleton.parents
    for j in range(len(parents)):
        if parents[j] >= 0:
            a, b = (np.linalg.norm(p[:, j] - p[:, parents[j]], axis=-1) for p in (before, posed.placed))
            if rig.skeleton.names[j] not in rig.helpers:
                assert np.abs(a - b).max() < 1e-9, "no bone changes its length"
    local = posed.rotations()
    index = {
        j: quat.multiply(posed.turned[:, parents[j]], local[:, j])
        for j in l.upper.tolist() + l.lower.tolist() + [l.end]
    }
    for j, q in index.items():
        assert np.degrees(quat.angle(quat.multiply(quat.conjugate(q), posed.turned[:, j]))).max() < 1e-5


@settings(max_examples=20, deadline=None)
@given(SEEDS)
def test_a_goal_where_the_limb_is_already_changes_nothing(seed: int) -> None:
    posed, rig = _posed(seed)
    l = limb(rig.skeleton, *(rig.joint(f"right {p}") for p in ("thigh", "shin", "foot")))
    before = posed.placed.copy()
    reach(posed, l, before[:, l.end].copy(), bends(posed, l))
    assert np.abs(posed.placed - before).max() < 1e-7


def test_a_straight_limb_bends_to_its_usual_side() -> None:
    rig = rigs.rig(1)
    clip = rest_clip(rig.skeleton)
    turned, placed = (np.array(a) for a in clip.model)
    posed = Posed(rig.skeleton, turned, placed, np.array(clip.rotations), set())
    l = limb(rig.skeleton, *(rig.joint(f"left {p}") for p in ("upper arm", "forearm", "hand")))
    # From straight out to the left, an elbow behind the line is bent about down.
    axis = quat.rotate(quat.conjugate(turned[:, l.root]), [0.0, -1.0, 0.0])
    reach(posed, l, placed[:, l.end] * [0.8, 1, 1], axis)
    assert posed.placed[0, l.middle, 2] < -0.02, "a straight elbow goes back"


def test_a_last_digit_does_not_decide_whether_a_straight_limb_bends() -> None:
    knees = []
    for lean in (1e-12, -1e-12):
        skeleton = chain(["thigh", "shin", "foot"], [[0, 0, 0], [0, -1.0, 0], [lean, -1.0, 0]])
        clip = rest_clip(skeleton)
        posed = Posed(skeleton, *(np.array(a) for a in clip.model), np.array(clip.rotations), set())
        reach(posed, limb(skeleton, 0, 1, 2), np.array([[0.0, -1.9, 0.0]]), np.array([[0.0, 0.0, 1.0]]))
        knees.append(posed.placed[0, 1])
    assert np.abs(knees[0] - knees[1]).max() < 1e-6 and abs(knees[0][0]) > 0.05


def test_a_pelvis_gives_way_alike_for_a_leg_that_ends_at_a_joint_and_one_that_ends_at_an_end_site() -> None:
    """Both are the same leg: of 0.9 m, whose foot is to stand 2 cm lower than it does, for a while. What else the figure has,
    here a strap from the ankle to the hip, has no say in it."""
    s = chain(["hip", "knee", "ankle", "strap"], [[0, 1, 0], [0, -0.45, 0.05], [0, -0.45, -0.05], [0, 0.9, 0]])
    frames = 40
    q = quat.multiply(s.rest_rotations, quat.from_rotvec(np.zeros((frames, 4, 3))))
    model = kinematics.forward(s.parents, q, np.tile(s.rest_translations, (frames, 1, 1)))
    tip = quat.rotate(quat.conjugate(model[0][0, 1]), model[1][0, 2] - model[1][0, 1])
    goal, weight = np.array(model[1][:, 2]), np.zeros(frames)
    goal[10:30, 1] -= 0.02
    weight[10:30] = 1.0
    ends = limb(s, 0, 1, 2), limb(s, 0, 1, -1, tip)
    joint, site = (pelvis_drop(model, [(l, goal, weight)], Timing(30.0, False)) for l in ends)
    assert np.abs(joint).max() > 0.005
    assert site == pytest.approx(joint, abs=1e-12)


# Standing -------------------------------------------------------------------------------------------------


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.integers(1, 5))
def test_hysteresis_is_what_a_walk_through_the_frames_gives(seed: int, least: int) -> None:
    rng = np.random.default_rng(seed)
    height, speed = rng.uniform(0, 0.2, 60), rng.uniform(0, 1.0, 60)
    found = stances.standing(height, speed, 0.06, 0.4, 1.6, least)
    expected = np.zeros(60, dtype=bool)
    run: list[int] = []
    for f in range(61):
        if f < 60 and height[f] < 0.096 and speed[f] < 0.64:
            run.append(f)
            continue
        if len(run) >= least and any(height[i] < 0.06 and speed[i] < 0.4 for i in run):
            expected[run] = True
        run = []
    assert np.array_equal(found, expected)
    assert [f for a, b in stances.spans(found) for f in range(a, b + 1)] == np.flatnonzero(found).tolist()


def test_speeds_of_a_circle() -> None:
    """A point on a circle of radius r at angular speed w goes at r w; central differences give r sin(w dt) / dt."""
    t = np.arange(90) / 30
    p = 0.5 * np.stack([np.cos(3 * t), np.zeros_like(t), np.sin(3 * t)], axis=-1)
    assert stances.speeds(p, 30)[1:-1] == pytest.approx(0.5 * np.sin(3 / 30) * 30)
    assert stances.speeds(p[:1], 30).tolist() == [0]


def test_the_demo_walk_stands_for_three_fifths_of_its_cycle(deckhand_rig, deckhand_clips) -> None:
    """Stance is about 60 % of the gait cycle (Perry, Gait Analysis, 1992; from memory), as heel or ball on the ground."""
    from reflexa.rig.match import match
    from reflexa.steps.retarget.contact import foot_goals
    from reflexa.steps.retarget.transfer import transfer

    clip = deckhand_clips["walk"]
    m = match(deckhand_rig, deckhand_rig)
    found = foot_goals(transfer(clip, m, "source root", {}), clip, m)[0].standing
    for heel, ball in found.values():
        share = (heel | ball)[:-1].mean()
        assert 0.52 < share < 0.70, share


# Chains ---------------------------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(SEEDS)
def test_a_chain_reaches_keeps_its_bones_and_its_end_turned(seed: int) -> None:
    """Within 0.1 mm where it can; drawn out straight towards what it cannot reach."""
    rng = np.random.default_rng(seed)
    s = chain([f"c{i}" for i in range(7)], [[0, 1, 0]] + [[0, 0.2, 0.03 * (-1) ** i] for i in range(6)])
    q = quat.multiply(s.rest_rotations, quat.from_rotvec(rng.normal(0, 0.35, (4, 7, 3))))
    turned, placed = kinematics.forward(s.parents, q, np.tile(s.rest_translations, (4, 1, 1)))
    posed = Posed(s, turned.copy(), placed.copy(), q.copy(), set())
    joints = list(range(1, 7))
    reachable = np.linalg.norm(np.diff(placed[0, 1:], axis=0), axis=-1).sum()
    way = rng.normal(size=(4, 3))
    share = rng.uniform(0.4, 0.95, 4)
    share[3] = 1.6
    goal = placed[:, 1] + way / np.linalg.norm(way, axis=-1, keepdims=True) * (share * reachable)[:, None]
    short = reach_chain(posed, joints, goal)
    assert short[:3].max() < 1e-4 and np.array_equal(posed.placed[:, :2], placed[:, :2])
    assert short[3] == pytest.approx(0.6 * reachable, abs=0.01 * reachable)
    bones = np.linalg.norm(np.diff(posed.placed, axis=1), axis=-1)
    assert np.abs(bones - np.linalg.norm(np.diff(placed, axis=1), axis=-1)).max() < 1e-9
    assert np.array_equal(posed.turned[:, 6], turned[:, 6])
    again = kinematics.forward(s.parents, posed.rotations(), np.tile(s.rest_translations, (4, 1, 1)))[1]
    assert np.abs(again - posed.placed).max() < 1e-9


def test_the_herons_head_takes_its_neck_along() -> None:
    from reflexa.demo import heron
    from reflexa.rig import analyse
    from reflexa.steps.correction import CorrectionSettings, correct, set_key, usual_drive

    rig = analyse(heron.skeleton())
    clip = heron.strut(rig.skeleton)
    assert usual_drive(rig, "head") == ("chain", ()) and len(rig.chain_to("head")) == 8
    assert not rig.chain_to("tail_2") and usual_drive(rig, "tail_2")[0] == "joint", "two joints are no chain to bend"
    pull = (0.05, -0.12, 0.06)
    out = correct(
        clip, rig, set_key(CorrectionSettings(falloff=6), "head", 20, 48, move=pull, drives="chain", space="world")
    )
    j = rig.skeleton.index["head"]
    assert np.abs(out.model[1][20, j] - clip.model[1][20, j] - pull).max() < 1e-4
    assert np.degrees(quat.angle(quat.multiply(quat.conjugate(clip.model[0][20, j]), out.model[0][20, j]))) < 1e-4
    assert np.array_equal(out.rotations[:14], clip.rotations[:14])
    neck = [rig.skeleton.index[f"neck_{i}"] for i in range(1, 8)]
    others = [k for k in range(len(rig.skeleton)) if k not in (*neck, j)]
    assert np.array_equal(out.rotations[:, others], clip.rotations[:, others])

"""The solver for arms: a reach in the open is that of the closed form; the body is kept out of; nothing asked changes nothing."""

from __future__ import annotations

import numpy as np
from scipy.optimize import least_squares
from scipy.spatial.transform import Rotation

from quality import clips
from reflexa.motion import kernels, quat
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.kernels.solving import Arm, Arms, Stiffness
from reflexa.motion.limbs import Posed, limb, limb_end
from reflexa.motion.skeleton import chain
from reflexa.motion.smoothing import Timing
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.solve.arms import ArmGoal, Meeting, arm_depths, solve

DECKHAND = clips.demo_rigs()["deckhand"].rig
STILL = Timing(30.0, False)


def posed(clip: Clip) -> Posed:
    turned, placed = (np.array(a) for a in clip.model)
    return Posed(clip.skeleton, turned, placed, np.array(clip.rotations), set())


def end(p: Posed, rig: Rig, side: str) -> np.ndarray:
    l = limb_of(rig, f"{side} hand")
    assert l is not None
    return np.array(limb_end((p.turned, p.placed), l))


def haul() -> Clip:
    return dict(clips.demo())["deckhand: rope haul"].clip


def free(clip: Clip) -> np.ndarray:
    return np.full((clip.frames, 6), np.inf)


def test_what_is_asked_already_changes_nothing() -> None:
    clip = haul()
    p = posed(clip)
    goals = [
        ArmGoal(f"{s} hand", end(p, DECKHAND, s), np.ones(clip.frames), arm_depths(DECKHAND, s, clip.model))
        for s in ("left", "right")
    ]
    way = end(p, DECKHAND, "right") - end(p, DECKHAND, "left")
    solve(p, DECKHAND, goals, Meeting(way, np.ones(clip.frames)), STILL)
    assert np.array_equal(p.placed, clip.model[1]) and not p.dirty


def test_a_reach_is_met_and_bones_keep_their_lengths_and_hands_their_turns() -> None:
    clip = haul()
    p = posed(clip)
    l = limb_of(DECKHAND, "left hand")
    assert l is not None
    goal = 0.8 * end(p, DECKHAND, "left") + 0.2 * p.placed[:, l.root]
    solve(p, DECKHAND, [ArmGoal("left hand", goal, np.ones(clip.frames), free(clip))], None, STILL)
    off = np.linalg.norm(end(p, DECKHAND, "left") - goal, axis=1)
    assert off.max() < 0.015 and np.median(off) < 1e-3, "hastier than an elbow may be it is not"
    for a, b in ((l.root, l.middle), (l.middle, l.end)):
        was = np.linalg.norm(clip.model[1][:, b] - clip.model[1][:, a], axis=1)
        assert np.allclose(np.linalg.norm(p.placed[:, b] - p.placed[:, a], axis=1), was, atol=1e-9)
    assert np.allclose(p.turned[:, l.end], clip.model[0][:, l.end])
    others = [j for j in range(len(clip.skeleton)) if j not in clip.skeleton.below(l.root)]
    assert np.array_equal(p.placed[:, others], clip.model[1][:, others])


def test_two_hands_come_together_in_the_middle() -> None:
    clip = haul()
    p = posed(clip)
    n = np.ones(clip.frames)
    before = [end(p, DECKHAND, s) for s in ("left", "right")]
    way = 0.3 * (before[1] - before[0])
    goals = [ArmGoal(f"{s} hand", b, 0 * n, free(clip)) for s, b in zip(("left", "right"), before, strict=True)]
    solve(p, DECKHAND, goals, Meeting(way, n), STILL)
    left, right = (end(p, DECKHAND, s) for s in ("left", "right"))
    assert np.linalg.norm(right - left - way, axis=1).max() < 3e-3
    moved = [np.linalg.norm(a - b, axis=1).max() for a, b in zip((left, right), before, strict=True)]
    assert min(moved) > 0.02, "both give"


def test_an_arm_comes_out_of_the_body() -> None:
    clip = haul()
    p = posed(clip)
    l = limb_of(DECKHAND, "left hand")
    assert l is not None
    into = p.placed[:, DECKHAND.joint("pelvis")] + [0.05, 0.1, 0.0]
    solve(p, DECKHAND, [ArmGoal("left hand", into, np.ones(clip.frames), free(clip))], None, STILL)
    deep = arm_depths(DECKHAND, "left", (p.turned, p.placed)).max()
    out = posed(clip)
    out.turned[:], out.placed[:] = p.turned, p.placed
    nowhere = np.zeros(clip.frames)
    solve(out, DECKHAND, [ArmGoal("left hand", into, nowhere, np.zeros((clip.frames, 6)))], None, STILL)
    assert deep > 0.05 and arm_depths(DECKHAND, "left", (out.turned, out.placed)).max() < 0.012


def test_one_frame_is_what_a_general_solver_finds() -> None:
    """The same least squares, for an arm of two bones in the open, by SciPy's ``least_squares``."""
    skeleton = chain(["shoulder", "elbow", "wrist"], [[0, 0, 0], [0.3, 0, 0], [0.1, 0, 0.22]])
    clip = rest_clip(skeleton)
    arm, goal = limb(skeleton, 0, 1, 2), np.array([0.35, 0.12, 0.2])
    hinge, stiff = np.array([0.0, -1.0, 0.0]), Stiffness(0.1, 0.01, 0.5, 1.0, 200)
    nothing = Blocks(np.zeros(0, dtype=np.intp), np.zeros((0, 3)), np.zeros((0, 3, 3)), np.zeros((0, 3)), np.zeros(0))
    asked = Arm(
        arm,
        hinge[None],
        np.zeros((1, 3)),
        np.zeros((0, 2)),
        np.zeros(0),
        nothing,
        nothing,
        goal[None],
        np.ones(1),
        np.zeros((1, 0)),
    )
    model, out = Model(*(np.array(a) for a in clip.model)), np.empty((1, 4))
    kernels.solving.arms(Arms(asked, asked, False, np.zeros((1, 3)), np.zeros(1), True, True), stiff, model, out)

    def place(x: np.ndarray) -> np.ndarray:
        turn = Rotation.from_rotvec(x[:3])
        return turn.apply([0.3, 0, 0] + Rotation.from_rotvec(x[3] * hinge).apply([0.1, 0, 0.22]))

    def off(x: np.ndarray) -> np.ndarray:
        held = np.append(x[:3], x[3]) / 0.5 * np.sqrt(1 + 2 * np.array([1, 1, 1, 16.0]))
        return np.concatenate([(place(x) - goal) / 0.1, held])

    found = least_squares(off, np.zeros(4), xtol=1e-12, ftol=1e-12).x
    assert np.allclose(place(out[0]), model[1][0, 2], atol=1e-9), "what it says is what it did"
    assert np.sum(off(out[0]) ** 2) < 1.002 * np.sum(off(found) ** 2)
    assert np.allclose(place(out[0]), place(found), atol=2e-3)


def test_a_long_reach_is_led_up_to_and_away() -> None:
    """A goal for three frames: before and after it the arm is on its way, without a jump."""
    clip = haul()
    p = posed(clip)
    pull = np.zeros(clip.frames)
    pull[30:33] = 1
    goal = end(p, DECKHAND, "left") + [0.0, 0.1, 0.0]
    before = end(p, DECKHAND, "left")
    solve(p, DECKHAND, [ArmGoal("left hand", goal, pull, free(clip))], None, STILL)
    moved = np.linalg.norm(end(p, DECKHAND, "left") - before, axis=1)
    assert moved[31] > 0.09 and moved[29] > 0.05 and moved[25] > 0.01 and moved[:15].max() < 2e-3
    assert np.abs(np.diff(moved)).max() < 0.045 and quat.angle(p.turned[0, 0]) >= 0

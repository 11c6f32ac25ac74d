"""Relations on other figures: hands that clap, fold, pray and rest on the body, made on the Deckhand, on rigs of every build.

Bounds: distance within 2 cm, direction within 10 degrees, no deeper in the body than 1 cm over the source's.
"""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest

from quality import clips
from quality.figure import Figure
from quality.operations import run
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Posed, limb_end
from reflexa.motion.smoothing import Timing
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.match import match
from reflexa.rig.rig import SIDES
from reflexa.solve.arms import ArmGoal, arm_depths, solve
from reflexa.steps import make
from tests.helpers import rigs

MADE, DEMO = dict(clips.demo()), clips.demo_rigs()
BASE, DECKHAND = MADE["deckhand: lantern idle"].clip.cut(0, 80), DEMO["deckhand"].rig
TARGETS: dict[str, Rig] = {
    "ferrykeeper": DEMO["ferrykeeper"].rig,
    **{f"rig {s}": rigs.rig(s, s, proportions=s * 3 + 1, arms_down=(0.0, 45.0, 60.0)[s]) for s in range(3)},
}


def places(kind: str) -> dict[str, tuple[str, np.ndarray]]:
    """Per hand what it goes along with, and where it is from there, metres ``(frames, 3)``."""
    t = np.arange(BASE.frames) / BASE.rate
    nothing = np.zeros((BASE.frames, 3))
    out: dict[str, tuple[str, np.ndarray]] = {}
    for side, sign in zip(SIDES, (1, -1), strict=True):
        if kind == "clap":
            apart = 0.03 + 0.16 * np.abs(np.sin(2 * np.pi * t))
            out[side] = "chest", np.stack([sign * apart, 0 * t + 0.05, 0 * t + 0.32], axis=1)
        elif kind == "pray":
            out[side] = "chest", np.stack([sign * 0.02 + 0 * t, 0.1 * np.sin(3 * t), 0 * t + 0.25], axis=1)
        elif kind == "fold":
            out[side] = "chest", nothing + [-sign * 0.12, -0.02 + 0.05 * sign, 0.2]
        elif kind == "hips":
            out[side] = "pelvis", nothing + [sign * 0.21, 0.08, 0.02]
    return out


@cache
def made(kind: str) -> Clip:
    posed = Posed(BASE.skeleton, *(np.array(a) for a in BASE.model), np.array(BASE.rotations), set())
    free, all_ = np.full((BASE.frames, 6), np.inf), np.ones(BASE.frames)
    goals = []
    for side, (joint, way) in places(kind).items():
        at = BASE.model[1][:, BASE.skeleton.index[joint]]
        goals.append(ArmGoal(f"{side} hand", at + way, all_, free))
    for _ in range(3):
        solve(posed, DECKHAND, goals, None, Timing(BASE.rate, False))
    return BASE.with_motion(posed.rotations(), BASE.translations, loop=False)


def ends(f: Figure) -> tuple[np.ndarray, np.ndarray]:
    left, right = (limb_of(f.rig, f"{s} hand") for s in SIDES)
    assert left is not None and right is not None
    return limb_end(f.clip.model, left), limb_end(f.clip.model, right)


@pytest.mark.parametrize("target", TARGETS)
@pytest.mark.parametrize("kind", ["clap", "pray", "fold", "hips"])
def test_what_touches_touches_on_every_figure(kind: str, target: str) -> None:
    source, to = Figure(made(kind), DECKHAND), TARGETS[target]
    out = run(make("retarget", rig="k"), source, rigs={"k": to})
    m = match(DECKHAND, to)
    (a, b), (x, y) = ends(source), ends(out)
    was, now = quat.rotate(m.turn, b - a) * m.scale, y - x
    together = np.linalg.norm(b - a, axis=1) < 0.15
    if together.any():
        sizes = np.linalg.norm(was, axis=1), np.linalg.norm(now, axis=1)
        turned = np.degrees(np.arccos(np.clip(np.sum(was * now, axis=1) / (sizes[0] * sizes[1]), -1, 1)))
        assert np.abs(sizes[1] - sizes[0])[together].max() < 0.02 and turned[together].max() < 10
    for side in SIDES:
        over = arm_depths(to, side, out.clip.model) - arm_depths(DECKHAND, side, source.clip.model) * m.stride
        assert over.max() < 0.01


@pytest.mark.parametrize("kind", ["clap", "fold"])
def test_mirrored_and_backwards_relations_are_kept_alike(kind: str) -> None:
    source, rigs_ = Figure(made(kind), DECKHAND), {"k": TARGETS["ferrykeeper"]}
    onto, mirror, back = make("retarget", rig="k"), make("mirror", plane="world"), make("reverse")
    for other in (mirror, back):
        one = run(other, run(onto, source, rigs=rigs_))
        two = run(onto, run(other, source), rigs=rigs_)
        assert np.abs(one.clip.model[1] - two.clip.model[1]).max() < 5e-4

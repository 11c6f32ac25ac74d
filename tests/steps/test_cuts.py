"""A clip that goes on in another pose at once: each piece is treated as if it were alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from quality import clips
from quality.figure import Figure
from quality.operations import run
from reflexa.motion import quat, stances
from reflexa.motion.cuts import cuts
from reflexa.motion.smoothing import gaussian, highest
from reflexa.steps import make
from tests.helpers.files import DATA

RIGS = clips.demo_rigs()
DEMO = dict(clips.demo())
CAPTURED = {name.split(":")[0]: figure for name, figure in clips.found([DATA])}


def alone(figure: Figure) -> Figure:
    return Figure(replace(figure.clip, loop=False, contacts=None, events=()), figure.rig)


def with_rest_pose(figure: Figure, at_the_end: bool = False) -> Figure:
    """A frame of the rest pose, standing where the clip begins, put before it (or behind it)."""
    clip = figure.clip
    q = np.array(clip.skeleton.rest_rotations)[None]
    t = np.array(clip.skeleton.rest_translations)[None]
    root = clip.skeleton.roots[0]
    t[:, root, [0, 2]] += clip.translations[-1 if at_the_end else 0, root][[0, 2]]
    both = (
        ([clip.rotations, q], [clip.translations, t]) if at_the_end else ([q, clip.rotations], [t, clip.translations])
    )
    return Figure(clip.with_motion(*(np.concatenate(a) for a in both)), figure.rig)


DOING = {
    "foot-lock": lambda f: run(make("foot-lock"), f),
    **{
        f"onto {name}": lambda f, name=name: run(make("retarget", rig=name), f, rigs={name: RIGS[name].rig})
        for name in ("ferrykeeper", "deckhand")
    },
}


@pytest.mark.parametrize("doing", DOING)
@pytest.mark.parametrize("at_the_end", [False, True])
@pytest.mark.parametrize(
    "name", ["deckhand: walk", "humanoid3d_walk", pytest.param("boxing_cut", marks=pytest.mark.long)]
)
def test_a_rest_pose_beside_a_clip_changes_nothing_of_it(name: str, at_the_end: bool, doing: str) -> None:
    figure = alone(DEMO[name] if name in DEMO else CAPTURED[name])
    longer = with_rest_pose(figure, at_the_end)
    n = figure.clip.frames
    assert cuts(longer.clip) == ((n,) if at_the_end else (1,)) and not cuts(figure.clip)
    own = slice(0, n) if at_the_end else slice(1, n + 1)
    apart = np.linalg.norm(DOING[doing](longer).world[1][own] - DOING[doing](figure).world[1], axis=-1).max(axis=1)
    if doing == "foot-lock":  # how bare bones are taken to stand has a frame more to go by
        assert apart.max() < 2e-3
    else:  # the way of a foot between two stands is led over the edge
        assert apart.max() < 0.02 and np.median(apart) < 5e-4


def test_captures_with_a_rest_pose_at_their_head_do_not_bend_there() -> None:
    capture = CAPTURED["01_01_cut"]
    assert cuts(capture.clip) == (1,)
    for doing in DOING.values():
        after = doing(capture)
        turned = after.clip.model[0]
        thigh = after.joint("right thigh")
        turn = np.degrees(quat.angle(quat.multiply(turned[1, thigh], quat.conjugate(turned[0, thigh]))))
        assert turn < 10.0, "4.6° in the source, and up to 16° where the pieces were led over to each other"


def test_pops_steps_and_fast_motion_are_no_cuts() -> None:
    for name, figure in DEMO.items():
        assert cuts(figure.clip) == ((73,) if "rest pose at the tail" in name else ()), name
    walk = DEMO["deckhand: walk"].clip
    held = np.repeat(np.arange(0, walk.frames, 4), 4)
    assert cuts(walk.with_motion(walk.rotations[held], walk.translations[held])) == ()
    tail = DEMO["deckhand: haul, rest pose at the tail"].clip
    backwards = tail.with_motion(tail.rotations[::-1], tail.translations[::-1])
    assert cuts(backwards) == (tail.frames - 73,)


def test_pieces_are_smoothed_by_themselves_round_a_loop_too() -> None:
    track = np.random.default_rng(2).normal(size=(30, 2))
    apart = np.concatenate([gaussian(piece, 2.0, False) for piece in (track[:10], track[10:])])
    assert np.array_equal(gaussian(track, 2.0, False, (10,)), apart)
    loop = np.concatenate([track, track[:1]])
    out = gaussian(loop, 2.0, True, (10, 25))
    round_the_seam = gaussian(np.concatenate([track[25:], track[:10]]), 2.0, False)
    assert np.array_equal(out[25:-1], round_the_seam[:5]) and np.array_equal(out[:10], round_the_seam[5:])
    assert np.array_equal(out[10:25], gaussian(track[10:25], 2.0, False)) and np.array_equal(out[0], out[-1])
    peak = np.zeros(20)
    peak[9] = 1.0
    assert highest(peak, 7, False, (10,))[10:].max() == 0.0 and highest(peak, 7, False, (10,))[6:10].min() == 1.0


def test_a_cut_parts_two_contacts() -> None:
    both = [np.ones(3, dtype=bool), np.ones(5, dtype=bool)]
    assert stances.spans(stances.joined(both)) == [(0, 2), (4, 7)]
    assert stances.spans(stances.joined(both[::-1])) == [(0, 3), (5, 7)]

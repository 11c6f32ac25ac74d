"""A loop stays a loop through everything that samples it at other moments."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from reflexa.motion import cycle, quat
from reflexa.motion.clip import Clip
from reflexa.motion.joining import Part, joined
from reflexa.motion.resample import to_rate
from reflexa.output.shape import exported, exported_clips
from reflexa.rig import Rig
from reflexa.steps import Given, make, outcome
from reflexa.take import Export, Range, Segment, Source, Take, evaluate
from reflexa.take.sequence import sequence

RATES = (12.0, 16.0, 24.0, 25.0, 29.97, 60.0, 120.0)


def opened(clip: Clip, rig: Rig) -> tuple[float, float]:
    """By how much a clip fails to close at most, travel aside: mm and degrees."""
    away, turn = cycle.openings(clip, rig.travel_joint)
    return 1000 * float(away.max()), float(np.degrees(turn.max()))


def line_of(clip: Clip, rig: Rig, **take: object):
    return evaluate(Take("a", Source("f", clip.name), **take), clip, rig)


def _step(kind: str, **settings: object) -> Callable[[Clip, Rig], list[Clip]]:
    return lambda clip, rig: [outcome(make(kind, **settings), Given(clip, rig)).clip]


def _segment(**told: object) -> Callable[[Clip, Rig], list[Clip]]:
    def made(clip: Clip, rig: Rig) -> list[Clip]:
        return [sequence([Segment("f", clip.name, **told)], lambda file, name: (clip, rig), "one")[0]]

    return made


def _after_another_rate(clip: Clip, rig: Rig) -> list[Clip]:
    """Behind a clip of another rate, whose frames a second hold for both."""
    other = replace(to_rate(clip, 25.0), name="other")
    known = {"other": (other, rig), clip.name: (clip, rig)}
    return [sequence([Segment("f", "other"), Segment("f", clip.name)], lambda file, name: known[name], "two")[0]]


OPERATIONS: dict[str, Callable[[Clip, Rig], list[Clip]]] = {
    "to a rate": lambda clip, rig: [to_rate(clip, r) for r in RATES],
    "exported at a rate": lambda clip, rig: [exported(clip, rig, Export(rate=r)) for r in RATES],
    "cycles at a rate": lambda clip, rig: [exported(clip, rig, Export(rate=24.0, cycles=3))],
    "a range at a rate": lambda clip, rig: exported_clips(
        clip, rig, (Range("all", 0, clip.frames - 1, True),), Export(rate=24.0)
    ),
    "a segment": _segment(),
    "a segment, faster": _segment(speed=1.3),
    "a segment, reversed": _segment(reversed=True, speed=0.7),
    "a segment, mirrored": _segment(mirrored=True),
    "behind another rate": _after_another_rate,
    "retimed to rates": lambda clip, rig: [c for r in RATES for c in _step("retime", how="rate", rate=r)(clip, rig)],
    "retimed, slower": _step("retime", speed=0.31),
    "retimed to a length": _step("retime", how="length", frames=23),
    "reversed": _step("reverse"),
    "begun elsewhere": _step("cycle", start=7),
    "repeated": _step("cycle", times=3),
}


@pytest.mark.parametrize("operation", OPERATIONS)
def test_a_loop_closes_as_before(operation: str, deckhand_clips: dict[str, Clip], deckhand_rig: Rig) -> None:
    clip = deckhand_clips["walk"]
    mm, degrees = opened(clip, deckhand_rig)
    for made in OPERATIONS[operation](clip, deckhand_rig):
        now = opened(made, deckhand_rig)
        assert made.loop and now[0] < mm + 0.1 and now[1] < degrees + 0.01, (operation, made.rate, now)


def test_a_part_of_a_loop_is_none(deckhand_clips: dict[str, Clip], deckhand_rig: Rig) -> None:
    line = line_of(deckhand_clips["walk"], deckhand_rig)
    assert exported(line.result, line.rig, Export()).loop and not exported(line.result, line.rig, Export(last=20)).loop
    assert exported(line.result, line.rig, Export(last=20, loop=True)).loop, "whoever says so is believed"


def test_a_thousand_cycles_go_as_far_as_a_thousand(deckhand_clips: dict[str, Clip], deckhand_rig: Rig) -> None:
    """Travel of any number of cycles, forth and back, also on a circle (three turns of 120° lead back to the start)."""
    rig, ahead = deckhand_rig, deckhand_clips["walk to the landing"]
    travel = rig.travel_joint
    turn, move = cycle.seam(ahead, travel)
    for rounds in (-1200, -1, 0, 1, 2, 999, 1000, 1001, 4000):
        place = cycle.carried(ahead, travel, np.zeros(3), rounds)
        whole, way = np.array([0.0, 0.0, 0.0, 1.0]), np.zeros(3)
        for _ in range(abs(rounds)):
            if rounds > 0:
                whole, way = quat.multiply(turn, whole), quat.rotate(turn, way) + move
            else:
                back = quat.conjugate(turn)
                whole, way = quat.multiply(back, whole), quat.rotate(back, way - move)
        assert np.abs(place - way).max() < 1e-7 * max(abs(rounds), 1), rounds


def test_two_equal_clips_in_a_row_go_on_alike_whether_they_are_one_object_or_two(
    deckhand_clips: dict[str, Clip], deckhand_rig: Rig
) -> None:
    clip = deckhand_clips["walk to the landing"]
    yaw = np.linspace(0, 1.2, clip.frames)
    turns = np.stack([np.zeros_like(yaw), np.sin(yaw / 2), np.zeros_like(yaw), np.cos(yaw / 2)], axis=-1)
    turning = cycle.moved_over_ground(clip, turns, np.zeros(3)).cut(0, 50)
    twin = replace(turning, name="twin")
    once = joined([Part(turning), Part(turning)], deckhand_rig.travel_joint)[0]
    apart = joined([Part(turning), Part(twin)], deckhand_rig.travel_joint)[0]
    assert np.array_equal(once.translations, apart.translations) and np.array_equal(once.rotations, apart.rotations)

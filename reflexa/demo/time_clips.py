"""Clips with faults of time, as they are delivered, and the takes that put them right."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.demo.heron_look import BEAK_OPEN
from reflexa.motion.clip import Clip, Track
from reflexa.motion.resample import time_warped
from reflexa.steps import make
from reflexa.take import Range, Segment, Source, Take

POPS, TAIL, SLOW, CALLS = "walk that pops", "haul, rest pose at the tail", "idle, play rate 0.4", "strut and call"


def delivered(made: dict[str, Clip]) -> list[Clip]:
    """The Deckhand's, of those that are in order: a loop that does not close, frames of rest pose at the tail, a play rate."""
    haul, idle = made["rope haul"], made["lantern idle"]
    rest = haul.skeleton
    with_tail = replace(
        haul, name=TAIL, loop=False,
        rotations=np.concatenate([haul.rotations, np.tile(rest.rest_rotations, (4, 1, 1))]),
        translations=np.concatenate([haul.translations, np.tile(rest.rest_translations, (4, 1, 1))]),
    )  # fmt: skip
    pops = replace(made["walk to the landing"].cut(3, 69), name=POPS, loop=True)
    quick = replace(time_warped(idle, np.arange(0, idle.frames, 2.5)), name=SLOW, play_rate=0.4, loop=idle.loop)
    return [pops, with_tail, quick]


def calling(strut: Clip) -> Clip:
    """The Heron's strut with two calls: its beak opens."""
    t = np.arange(strut.frames) / (strut.frames - 1)
    opened = np.zeros(strut.frames)
    for at in (0.30, 0.46):
        opened += np.clip(1 - (np.abs(t - at) / 0.07) ** 2, 0.0, 1.0)
    return replace(strut, name=CALLS, tracks=(Track(BEAK_OPEN, opened),))


def takes(deckhand: str, heron: str) -> tuple[Take, ...]:
    """One for each fault, and what else is done to time all day."""
    slowed = [[0, 0], [18, 30], [30, 44], [72, 86]]
    ashore = (
        Segment(deckhand, "walk to the landing", last=110), Segment(deckhand, "walk", first=7, crossfade=10),
        Segment(deckhand, "lantern idle", last=75, crossfade=12),
    )  # fmt: skip
    return (
        Take("Walk, loop closed", Source(deckhand, POPS), (make("close-loop", "Find and close", find=True),)),
        Take("Haul, tail trimmed", Source(deckhand, TAIL), (make("trim", "No rest pose", rest_ends=True),)),
        Take("Idle, at its own pace", Source(deckhand, SLOW), (make("retime", "Into frames", how="play rate"),)),
        Take(
            "Haul, wind-up slowed", Source(deckhand, "rope haul"), (make("retime", "Slower wind-up", how="curve", curve=slowed),),
            ranges=(Range("wind-up", 0, 44), Range("pull", 45, 86)),
        ),
        Take("Walk, other foot first", Source(deckhand, "walk"), (make("cycle", "From the right strike", start="right strike"),)),
        Take(
            "Ashore, and look round", Source(deckhand, "ashore", ashore),
            (make("events", "Strikes and lifts", from_contacts=True),),
        ),
        Take("Strut and call, twice as fast", Source(heron, CALLS), (make("retime", "Twice as fast", speed=2.0),)),
    )  # fmt: skip

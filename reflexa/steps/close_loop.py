"""Close loop: the end of a clip made to meet its start, in pose and velocity; its travel goes on, standing feet keep standing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import cycle, loops, quat, seams
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact, joined
from reflexa.motion.loops import Matches
from reflexa.motion.resample import time_warped
from reflexa.rig import Rig
from reflexa.rig.soles import soles
from reflexa.stage import EMPTY
from reflexa.steps.foot_lock.find import Contacts, found
from reflexa.steps.foot_lock.rounds import later
from reflexa.steps.foot_lock.settings import FootLockSettings
from reflexa.steps.foot_lock.step import held
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind
from reflexa.steps.root_motion.track import travel_of
from reflexa.words import counted

# A loop lasts this long at least, seconds.
_LEAST = 0.4


class CloseLoopSettings(Settings, frozen=True):
    find: Annotated[
        bool,
        Meta(title="Find the frames",
            description="Find the two frames that match best, keep what lies between them, and close that part."),
    ] = False  # fmt: skip
    first: Annotated[
        int,
        Meta(title="First frame", ge=0, description="The frame where the loop begins.", extra={"when": {"find": False}}),
    ] = 0  # fmt: skip
    last: Annotated[
        int,
        Meta(title="Last frame", ge=-1,
            description="The frame where the loop ends, which takes on the pose of the first. -1: the last frame of "
            "the clip.",
             extra={"zero": "last frame", "when": {"find": False}}),
    ] = -1  # fmt: skip
    over: Annotated[
        int,
        Meta(title="Spread over", ge=0, le=100_000,
            description="The number of frames around the seam over which the difference is spread.",
             extra={"unit": "frames", "zero": "the whole clip"}),
    ] = 0  # fmt: skip
    feet: Annotated[
        bool, Meta(title="Feet keep standing",
            description="Feet on the ground are held in place, also across the seam.")
    ] = True  # fmt: skip


@dataclass(frozen=True, eq=False)
class CloseLoopReport:
    """The frames of the clip before that the loop is made of; by how much it failed to close and does now, each in metres,
    radians and as a share of the fastest; and how its frames match."""

    first: int
    last: int
    was: tuple[float, float, float]
    now: tuple[float, float, float]
    matches: Matches


# The joints that tell how a figure stands: fingers and helpers add nothing but time.
_TELLING = ("pelvis", "spine", "neck", "head") + tuple(
    f"{side} {part}"
    for side in ("left", "right")
    for part in ("upper arm", "forearm", "hand", "thigh", "shin", "foot", "toes")
)


def looked_at(clip: Clip, rig: Rig) -> tuple[loops.Seen, list[int]]:
    """The figure from where it stands, by the joints that tell, and which of those are its feet."""
    joints = sorted({j for part in _TELLING for j in [rig.joint(part)] if j >= 0}) or list(range(len(rig.skeleton)))
    feet = [joints.index(j) for s in ("left", "right") if (j := rig.joint(f"{s} foot")) in joints]
    return loops.seen(clip, rig.travel_joint, travel_of(clip, rig).heading, joints), feet


def matched(clip: Clip, rig: Rig) -> Matches:
    """How well frames of a clip match as first and last of a loop."""
    least = max(4, round(_LEAST * clip.rate))
    return loops.matches(clip, *looked_at(clip, rig), min(least, clip.frames - 1))


def span(clip: Clip, rig: Rig, s: CloseLoopSettings) -> tuple[int, int]:
    """First and last frame of the loop. Raises RecipeError."""
    if clip.frames < 4:
        raise RecipeError(f"{clip.frames} frames make no loop", advice="Give it a clip of at least 4.")
    if s.find:
        pairs = matched(clip, rig).pairs
        return (pairs[0].first, pairs[0].last) if pairs else (0, clip.frames - 1)
    last = clip.frames - 1 if s.last < 0 else s.last
    if not 0 <= s.first <= last - 3 or last > clip.frames - 1:
        raise RecipeError(
            f"frames {s.first} to {last} make no loop", place="first",
            advice=f"Give at least 4 frames, from 0 to {clip.frames - 1}.",
        )  # fmt: skip
    return s.first, last


def close(clip: Clip, rig: Rig, s: CloseLoopSettings) -> tuple[Clip, Array]:
    """The clip as a loop, and which frame of it each of the loop's is ``(frames,)``. An exact loop is left bit for bit. Raises
    RecipeError."""
    if not s.find and s.first == 0 and s.last < 0 and clip.frames >= 4 and seams.closes(clip, rig.travel_joint):
        return (clip if clip.loop else replace(clip, loop=True)), np.arange(clip.frames, dtype=np.float64)
    first, last = span(clip, rig, s)
    times = np.arange(first, last + 1, dtype=np.float64)
    part = time_warped(clip, times)
    if seams.closes(part, rig.travel_joint):
        return replace(part, loop=True), times
    out = seams.closed(part, rig.travel_joint, s.over)
    if s.feet and any(rig.limb(f"{side} foot") for side in ("left", "right")):
        # The seam and the feet are one problem: what holding them opens is closed again, until both are as they have to be.
        for _ in range(_ROUNDS):
            out = _standing(part, out, rig, s.over)
            if seams.closes(out, rig.travel_joint):
                break
            out = seams.closed(out, rig.travel_joint, s.over)
    return kept_on_rules([part], out, rig), times


# So often feet are held and the seam is closed at most.
_ROUNDS = 6
# A foot that is not moved by more than this while it stands, metres, keeps standing as it is.
_STILL = 4e-4


def _standing(before: Clip, after: Clip, rig: Rig, over: int) -> Clip:
    """The loop with those feet held that stood before and were moved by its closing, as far as it was changed."""
    settings = FootLockSettings(surface="own height", level=False)
    there = found(replace(before, loop=True), rig, settings, EMPTY, here=False)
    moved, balls = {}, {}
    for limb in {p.limb for p in there}:
        was, now = (soles(rig)[limb.split()[0]].underside(*c.model) for c in (before, after))
        moved[limb], balls[limb] = now - was, was[1]
    touched = (p for p in there if np.ptp(moved[p.limb][:, p.first : p.last + 1], axis=1).max() > _STILL)
    half = before.frames if over <= 0 else max(2, over // 2)
    contacts = tuple(q for p in touched for q in _near_seam(p, balls[p.limb], half + sum(settings.eases(before.rate))))
    return _held_at_seam(after, rig, contacts, settings) if contacts else after


def _near_seam(p: Contact, ball: Array, reach: int) -> list[Contact]:
    """What of a contact lies within so many frames of a loop's seam; where it was cut it stands as it stood there, ball
    ``(frames, 3)``."""
    end, out = len(ball) - 1, []
    for low, high, inner in ((0, reach, min(reach, p.last)), (end - reach, end, max(end - reach, p.first))):
        first, last = max(p.first, low), min(p.last, high)
        if first > last:
            continue
        if (first, last) == (p.first, p.last):
            return [p]
        place = (float(ball[inner, 0]), float(ball[inner, 1]), float(ball[inner, 2]))
        out.append(msgspec.structs.replace(p, first=first, last=last, place=place))
    return out


def _held_at_seam(clip: Clip, rig: Rig, contacts: Contacts, settings: FootLockSettings) -> Clip:
    """A loop with contacts held. In a long one only the frames about the seam are looked at, where they are."""
    end, ease = clip.frames - 1, sum(settings.eases(clip.rate))
    reach = max(p.last if p.first <= end - p.last else end - p.first for p in contacts) + 2 * ease
    if 4 * reach >= end:
        return held(Given(clip, rig), contacts, settings, EMPTY)
    window = cycle.at_moments(clip, rig.travel_joint, np.arange(-reach, reach + 1, dtype=np.float64))
    own: list[Contact] = []
    for p in sorted(contacts, key=lambda p: (p.limb, p.first <= end - p.last, p.first)):
        late = later(clip, rig, p, reach - end, -1) if p.first > end - p.last else later(clip, rig, p, reach)
        if own and own[-1].limb == p.limb and late.first <= own[-1].last:
            own[-1] = joined(own[-1], late)
        else:
            own.append(late)
    done = held(Given(replace(window, loop=False), rig), tuple(own), settings, EMPTY)
    # What lies before the seam is a cycle further on in the clip.
    ends = cycle.moved_over_ground(done.cut(0, reach), *cycle.seam(clip, rig.travel_joint))
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    rotations[: reach + 1], translations[: reach + 1] = done.rotations[reach:], done.translations[reach:]
    rotations[end - reach :] = quat.shortest(ends.rotations, rotations[end - reach :])
    translations[end - reach :] = ends.translations
    return clip.with_motion(quat.continuous(rotations), owned(translations))


def _run(given: Given, settings: CloseLoopSettings, context: Context) -> Outcome:
    before, rig = given.clip, given.rig
    out, times = close(before, rig, settings)

    def report(now: Clip) -> CloseLoopReport:
        first, last = int(times[0]), int(times[-1])
        was = seams.gap(before.cut(first, last), rig.travel_joint)
        return CloseLoopReport(first, last, was, seams.gap(now, rig.travel_joint), matched(before, rig))

    return Outcome(out, rig, times, report)


KIND = StepKind(
    "close-loop",
    "Close loop",
    "Make the end of a clip match its start, in pose and velocity, so that it plays as a loop.",
    CloseLoopSettings,
    _run,
    place=240,
    group="time",
    fixes=30,
    changes_time=True,
    weighed=False,
    upgraded=lambda plain: {k: v for k, v in plain.items() if v is not None},
    summary=lambda s: "found" if s.find else f"over {counted(s.over, 'frame')}" if s.over else "over the whole clip",
)

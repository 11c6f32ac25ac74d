"""A source made of several: segments of clips one after the other, cut, turned round, mirrored, faster or slower."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import loops, seams, stances
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact, of_points
from reflexa.motion.joining import Part, Seam, jerks, joined
from reflexa.motion.resample import at_even_times, time_warped
from reflexa.rig import Rig
from reflexa.stage import EMPTY
from reflexa.stage.footing import Footing, footing
from reflexa.steps.close_loop import looked_at
from reflexa.steps.foot_lock.settings import FootLockSettings
from reflexa.steps.foot_lock.step import held
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.mirror import reflected
from reflexa.steps.model import Given
from reflexa.steps.retime import resampled
from reflexa.take.model import Segment, Source
from reflexa.take.stepping import stepping

_SLOWEST, _FASTEST, _MOST = 0.01, 100.0, 200_000
# A foot that stands through a crossfade is held where it else would slide by more than this, metres.
_SLIDES = 5e-4
Known = Callable[[str, str], tuple[Clip, Rig]]


def segment_clip(clip: Clip, rig: Rig, segment: Segment, place: str = "segment") -> Clip:
    """What a segment is of its clip. Raises RecipeError."""
    last = clip.frames - 1 if segment.last is None else segment.last
    if not 0 <= segment.first <= last < clip.frames:
        raise RecipeError(
            f"frames {segment.first} to {last} are not inside {clip.name!r}", place=place,
            advice=f"Its frames are 0 to {clip.frames - 1}.",
        )  # fmt: skip
    if not _SLOWEST <= segment.speed <= _FASTEST:
        raise RecipeError(f"a speed of {segment.speed:g}", place=place, advice=f"Give {_SLOWEST:g} to {_FASTEST:g}.")
    if segment.crossfade < 0:
        raise RecipeError(f"a crossfade of {segment.crossfade} frames", place=place, advice="Give 0 or more.")
    count = (last - segment.first) / segment.speed
    if count > _MOST:
        raise RecipeError(f"{count:,.0f} frames are too many", place=place, advice=f"Up to {_MOST:,}.")
    whole_loop = clip.loop and (segment.first, last) == (0, clip.frames - 1)
    out, times = at_even_times(replace(clip.cut(segment.first, last), loop=whole_loop), segment.speed)
    if segment.reversed:
        out = replace(time_warped(out, np.arange(len(times) - 1.0, -1.0, -1.0)), loop=whole_loop)
    return reflected(out, rig, "own start") if segment.mirrored else out


def sequence(segments: Iterable[Segment], known: Known, name: str) -> tuple[Clip, Rig]:
    """The clip that segments make in a row, and its rig, which is the first one's. known(file, clip): clip and rig. Raises
    RecipeError for segments that make no sense or are on another rig."""
    return placed(segments, known, name)[:2]


def source_of(source: Source, known: Known) -> tuple[Clip, Rig]:
    """The clip that a take begins with, and its rig: one of a file, or several in a row. known(file, clip): clip and rig, or
    raises RecipeError, as this does."""
    if source.segments:
        return sequence(source.segments, known, source.clip)
    return known(source.file, source.clip)


def placed(segments: Iterable[Segment], known: Known, name: str) -> tuple[Clip, Rig, tuple[Seam, ...]]:
    """The same with the seams between the segments."""
    segments = list(segments)
    parts: list[Part] = []
    rig: Rig | None = None
    first: Clip | None = None
    for i, segment in enumerate(segments):
        place = f"segments[{i}]"
        clip, own = known(segment.file, segment.clip)
        if rig is None or first is None:
            rig, first = own, clip
        clip = _onto(clip, first, segment, place)
        speed = segment.speed * clip.play_rate / first.play_rate
        made = segment_clip(clip, rig, replace(segment, speed=speed), place)
        parts.append(Part(resampled(made, rig, first.rate), segment.crossfade, not segment.in_place))
    if rig is None or first is None:
        raise RecipeError("there is no segment", advice="Give at least one clip.")
    known_rig = rig
    parts = stepping(parts, rig, frozenset(i for i, s in enumerate(segments) if s.out_of_step))
    feet = {f"{s} foot": known_rig.joint(f"{s} foot") for s in ("left", "right") if known_rig.joint(f"{s} foot") >= 0}
    stances = {id(p.clip): footing(p.clip, known_rig) for p in parts} if feet else {}

    def stands(a: Clip, at_a: int, b: Clip, at_b: int) -> int:
        """The foot that stands in both, for the longer time if both do."""
        last = next(p for p in parts if p.clip is b)
        before = footing(a, known_rig)
        best, longest = -1, 0
        for limb, joint in feet.items():
            side = limb.split()[0]
            both = [before[side].stands, stances[id(last.clip)][side].stands]
            if both[0][at_a] and both[1][at_b]:
                long = _span_at(both[0], at_a)[1] - at_a + at_b - _span_at(both[1], at_b)[0] + 1
                if long > longest:
                    best, longest = joint, long
        return best

    out, at = joined(parts, rig.travel_joint, stands)
    at = tuple(_measured(s, a.clip, b.clip, rig) for s, a, b in zip(at, parts, parts[1:], strict=False))
    out = replace(out, name=name, play_rate=first.play_rate)
    out = _held(out, rig, parts, at) if feet else out
    if any(s.last >= s.first for s in at):
        out = kept_on_rules([p.clip for p in parts], out, rig)
    loop = (
        len(parts) > 0 and all(known(s.file, s.clip)[0].loop for s in segments) and seams.closes(out, rig.travel_joint)
    )
    out = replace(out, loop=loop)
    return out, rig, jerks(out, at)


def _measured(seam: Seam, a: Clip, b: Clip, rig: Rig) -> Seam:
    """A seam with how far both parts differ there."""
    n = seam.last - seam.first + 1
    half = max(n - 1, 0) // 2
    (seen_a, feet), (seen_b, _) = looked_at(a, rig), looked_at(b, rig)
    off = loops.measured(seen_a, seen_b, max(a.frames - max(n, 1) + half, 0), min(half, b.frames - 1), feet)
    return replace(seam, pose=off.pose, velocity=off.velocity)


def _onto(clip: Clip, first: Clip, segment: Segment, place: str) -> Clip:
    """The clip on the joints of the first one, in their order."""
    names = first.skeleton.names
    if clip.skeleton.names == names:
        return clip if clip.skeleton is first.skeleton else replace(clip, skeleton=first.skeleton)
    if set(clip.skeleton.names) == set(names):
        order = [clip.skeleton.index[n] for n in names]
        return replace(
            clip, skeleton=first.skeleton, rotations=clip.rotations[:, order], translations=clip.translations[:, order],
            scales=None if clip.scales is None else clip.scales[:, order],
        )  # fmt: skip
    raise RecipeError(
        f"{clip.name!r} of {segment.file} is on another rig than {first.name!r}", place=place,
        advice="Retarget it in a take of its own, or rename its joints, and join that.",
    )  # fmt: skip


def _span_at(stands: np.ndarray, at: int) -> tuple[int, int]:
    return next((a, b) for a, b in stances.spans(stands) if a <= at <= b)


def _held(clip: Clip, rig: Rig, parts: list[Part], at: tuple[Seam, ...]) -> Clip:
    """Feet that stand all through a crossfade held where they would slide in it."""
    feet = footing(clip, rig)
    contacts: list[Contact] = []
    for seam in at:
        if seam.last - seam.first < 1:
            continue
        inside = slice(seam.first, seam.last + 1)
        contacts += [
            c
            for side, f in feet.items()
            if f.stands[inside].all() and _slides(f, inside) > _SLIDES
            for c in of_points(f"{side} foot", f.heel_stands, f.ball_stands, f.stands)  # type: ignore[arg-type]
            if c.first <= seam.first and c.last >= seam.last
        ]
    settings = FootLockSettings(surface="own height", level=False)
    return held(Given(clip, rig), tuple(contacts), settings, EMPTY) if contacts else clip


def _slides(foot: Footing, inside: slice) -> float:
    """How far heel or ball get over the ground while it stands, metres."""
    tracks = [(foot.heel[inside], foot.heel_stands[inside]), (foot.ball[inside], foot.ball_stands[inside])]
    return max((float(np.ptp(t[s][:, [0, 2]], axis=0).max()) for t, s in tracks if s.any()), default=0.0)


def best_seam(a: Clip, b: Clip, rig: Rig, within: int) -> tuple[int, int, float]:
    """Which frame of the end of a (its last so many) and of the beginning of b (its first) are nearest in pose and velocity, and
    how near, cm."""
    (seen_a, feet), (seen_b, _) = looked_at(a, rig), looked_at(b, rig)
    at_a = np.arange(max(a.frames - within, 0), a.frames)
    at_b = np.arange(min(within, b.frames))
    off = loops.distances(seen_a, seen_b, at_a, at_b, feet)
    i, j = np.unravel_index(int(np.argmin(off)), off.shape)
    return int(at_a[i]), int(at_b[j]), float(off[i, j])

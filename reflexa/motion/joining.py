"""Clips one after the other: the next lines up with where the last one ended, and fades in over some frames."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from reflexa.motion import cycle, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Track
from reflexa.motion.contact import as_one, moved
from reflexa.motion.curves import smoothstep
from reflexa.motion.mixing import mixed
from reflexa.motion.resample import at_frames

# Ends that are no further apart than this are one frame, metres and radians: a loop's end is its beginning.
_SAME, _SAME_TURN = 1e-3, np.radians(0.1)
# Which joint of two clips stands at a frame of each, if any: (clip, frame, clip, frame) → joint or -1.
Standing = Callable[[Clip, int, Clip, int], int]


@dataclass(frozen=True, eq=False)
class Part:
    """A clip in a row: over how many frames it fades in over the end of the one before; carries: place and heading go on from
    there, else it stands where it is."""

    clip: Clip
    crossfade: int = 0
    carries: bool = True


@dataclass(frozen=True)
class Seam:
    """Where one part meets the next: first and last frame of both at once (none: last is before first); in their middle, how far
    the parts differ: joints' mean distance in cm, and mean difference in velocity in cm/s. jerk: by how much a joint's velocity
    changes at most from frame to frame there, and elsewhere in the whole, cm a frame."""

    first: int
    last: int
    pose: float = 0.0
    velocity: float = 0.0
    jerk: float = 0.0
    elsewhere: float = 0.0


def none_stands(a: Clip, at_a: int, b: Clip, at_b: int) -> int:
    return -1


def joined(parts: list[Part], travel: int, stands: Standing = none_stands) -> tuple[Clip, tuple[Seam, ...]]:
    """Parts of one skeleton and rate in a row, and their seams. travel: the joint that carries the figure. Two that end and
    begin in the same pose share that frame. A crossfade longer than a part is cut to it."""
    out = parts[0].clip
    seams: list[Seam] = []
    for part in parts[1:]:
        b = part.clip
        n = max(min(part.crossfade, out.frames - 1, b.frames - 1), 0)
        moved = _after(out, b, n, travel, stands) if part.carries else b
        if n == 0 and _meet(out, moved if not part.carries else _on(out, b, travel)):
            n = 1
            moved = _on(out, b, travel) if part.carries else b
        seams.append(Seam(out.frames - n, out.frames - 1))
        out = _crossfaded(out, moved, n)
    return out, tuple(seams)


def jerks(clip: Clip, seams: tuple[Seam, ...]) -> tuple[Seam, ...]:
    """Seams with how much the joints' velocity changes there in the clip that was made."""
    if clip.frames < 3 or not seams:
        return seams
    kicks = 100 * np.linalg.norm(np.diff(clip.model[1], n=2, axis=0), axis=-1).max(axis=1)
    spans = [slice(max(s.first - 2, 0), max(s.last, s.first) + 1) for s in seams]
    elsewhere = np.array(kicks)
    for span in spans:
        elsewhere[span] = 0.0
    most = float(elsewhere.max())
    return tuple(
        replace(s, jerk=float(kicks[at].max(initial=0.0)), elsewhere=most) for s, at in zip(seams, spans, strict=True)
    )


def _on(a: Clip, b: Clip, travel: int) -> Clip:
    """Clip b moved so that its first frame stands where the last of a does."""
    return cycle.moved_over_ground(b, *cycle.lined_up(a, a.frames - 1, b, 0, travel))


def _after(a: Clip, b: Clip, n: int, travel: int, stands: Standing) -> Clip:
    """Clip b moved to where it goes on from a, with n frames of both at once."""
    if n == 0:
        turn, move = cycle.lined_up(a, a.frames - 1, b, 0, travel)
        # One step further on: as far as the last of a and the first of b go on the mean.
        steps = []
        for c, at, turned in ((a, a.frames - 2, np.array(quat.IDENTITY)), (b, 0, turn)):
            if c.frames > 1:
                p = c.cut(at, at + 1).model[1][:, travel]
                steps.append(quat.rotate(turned, p[1] - p[0]))
        step = np.mean(steps, axis=0) if steps else np.zeros(3)
        return cycle.moved_over_ground(b, turn, move + step * [1.0, 0.0, 1.0])
    half = (n - 1) // 2
    at_a, at_b = a.frames - n + half, half
    turn, move = cycle.lined_up(a, at_a, b, at_b, travel)
    foot = stands(a, at_a, b, at_b)
    if foot >= 0:  # who stands in both stays where it stands
        there, here = a.cut(at_a, at_a).model[1][0, foot], b.cut(at_b, at_b).model[1][0, foot]
        move = (there - quat.rotate(turn, here)) * [1.0, 0.0, 1.0]
    return cycle.moved_over_ground(b, turn, move)


def _meet(a: Clip, b: Clip) -> bool:
    """True if clip b starts in the pose in which clip a ends."""
    (qa, pa), (qb, pb) = a.cut(a.frames - 1, a.frames - 1).model, b.cut(0, 0).model
    turn = quat.angle(quat.multiply(quat.conjugate(qa), qb)).max()
    return bool(np.linalg.norm(pa - pb, axis=-1).max() < _SAME and turn < _SAME_TURN)


def _crossfaded(a: Clip, b: Clip, n: int) -> Clip:
    """Two clips with the last n frames of one and the first n of the other as one."""
    a, b = _alike(a, b), _alike(b, a)
    head, tail = a.frames - n, np.arange(a.frames - n, a.frames)
    parts = [at_frames(a, np.arange(head))] if head else []
    if n:
        share = smoothstep(np.arange(1, n + 1) / (n + 1))
        both = mixed(
            at_frames(a, tail), at_frames(b, np.arange(n)), np.repeat(share[:, None], len(a.skeleton), axis=1), share
        )
        parts.append(both)
    if b.frames > n:
        parts.append(at_frames(b, np.arange(n, b.frames)))
    rotations = quat.continuous(np.concatenate([p.rotations for p in parts]))
    scales = None if a.scales is None else np.concatenate([p.scales for p in parts if p.scales is not None])
    tracks = tuple(Track(t.name, np.concatenate([p.tracks[i].values for p in parts])) for i, t in enumerate(a.tracks))
    contacts = None
    if a.contacts is not None and b.contacts is not None:  # a part that touches in both goes on touching
        contacts = as_one([*a.contacts, *(moved(c, head) for c in b.contacts)])
    middle = head + (n - 1) / 2
    events = [e for e in a.events if e.frame <= middle]
    events += [replace(e, frame=e.frame + head) for e in b.events if e.frame + head >= middle]
    return replace(
        a, rotations=owned(rotations), translations=owned(np.concatenate([p.translations for p in parts])), scales=scales,
        tracks=tracks, events=tuple(dict.fromkeys(sorted(events, key=lambda e: e.frame))), loop=False,
        contacts=contacts,
        stepped=a.stepped and b.stepped,
    )  # fmt: skip


def _alike(a: Clip, b: Clip) -> Clip:
    """Clip a with scales and tracks where b has some: at rest."""
    tracks = {t.name: t for t in a.tracks}
    names = sorted(tracks.keys() | {t.name for t in b.tracks})
    rest: Array = np.zeros(a.frames)
    scales = a.scales
    if scales is None and b.scales is not None:
        scales = np.ones((a.frames, len(a.skeleton), 3))
    return replace(a, scales=scales, tracks=tuple(tracks.get(n, Track(n, rest)) for n in names))

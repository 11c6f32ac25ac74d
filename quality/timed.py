"""Kinds that change time, and those that keep something, and what has to hold of them."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from quality import calm, laws, whole
from quality.figure import SIDES, Figure
from quality.model import Case, Measure, worst
from reflexa.motion import resample
from reflexa.steps import Context, Given, Point, make, outcome
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.steps.model import SOURCE
from reflexa.take import Segment
from reflexa.take.sequence import sequence

if TYPE_CHECKING:
    from quality.operations import Found


def _run(kind: str, figure: Figure, **settings: Any) -> Figure:
    done = outcome(make(kind, **settings), Given(figure.clip, figure.rig), Context())
    return Figure(done.clip, done.rig)


def _at(figure: Figure, times: np.ndarray) -> Figure:
    """The same frames of a clip, to hold a part of it against."""
    return Figure(resample.at_frames(figure.clip, times), figure.rig)


def _same(name: str, what: str, before: Figure, after: Figure) -> Case:
    joints = tuple((j, j) for j in range(len(before.clip.skeleton)))
    limbs = tuple((f"{s} {l}", f"{s} {l}") for s in SIDES for l in ("knee", "elbow"))
    return Case(name, what, before, after, joints, limbs)


def reverse(name: str, figure: Figure) -> Found | None:
    once = _run("reverse", figure)
    back = laws.apart("twice", figure, _run("reverse", once), (1e-3, 1e-4))
    return back + [
        m for each in (calm.pops, calm.jerks, whole.seams) for m in each(_same(name, "reverse", figure, once))
    ]


def faster_and_back(name: str, figure: Figure) -> Found | None:
    """Twice as slow, then twice as fast: the same at the frames that are kept."""
    slow = _run("retime", figure, how="speed", speed=0.5)
    again = _run("retime", slow, how="speed", speed=2.0)
    found = laws.apart("there and back", figure, again, (0.1, 1e-3))
    return found + whole.seams(_same(name, "slower", figure, slow))


def trimmed(name: str, figure: Figure) -> Found | None:
    n = figure.clip.frames
    if n < 12:
        return None
    part = _run("trim", figure, first=n // 4, last=3 * n // 4)
    kept = _at(figure, np.arange(n // 4, 3 * n // 4 + 1, dtype=np.float64))
    again = _run("trim", part, first=0, last=part.clip.frames - 1)
    return laws.apart("frames kept", kept, part, (1e-6, 1e-6)) + laws.apart("twice", part, again, (1e-6, 1e-6))


def held_for_a_while(name: str, figure: Figure) -> Found | None:
    n = figure.clip.frames
    if n < 12:
        return None
    after = _run("hold", figure, frame=n // 2, frames=max(4, round(figure.clip.rate / 3)))
    return calm.pops(_same(name, "hold", figure, after))


def closed(find: bool, name: str, figure: Figure) -> Found | None:
    """A loop closes exactly, whatever its feet did; and is left alone the second time."""
    if figure.clip.frames < 12 or figure.clip.frames > 400:
        return None
    after = _run("close-loop", figure, find=find)
    mm, degrees, speed = whole.seam_of(after)
    last = after.clip.frames - 1
    found = [
        Measure("seam", "mm", mm, 0.0, 0.1, last, ""), Measure("seam", "°", degrees, 0.0, 0.01, last, ""),
        Measure("seam speed", "%", speed, 0.0, 1.0, last, ""),
    ]  # fmt: skip
    return found + laws.apart("twice", after, _run("close-loop", after))


def repeated(name: str, figure: Figure) -> Found | None:
    if not figure.clip.loop:
        return None
    after = _run("cycle", figure, times=3)
    n = figure.clip.frames
    first = _at(after, np.arange(n, dtype=np.float64))
    gap, turn, _ = whole.seam_of(figure)  # what the loop itself lacks is led over to the next round
    found = laws.apart("first round", figure, first, (1e-3 + gap, 1e-3 + turn))
    return found + [
        m for each in (calm.pops, calm.jerks, whole.seams) for m in each(_same(name, "cycle", figure, after))
    ]


def there_and_back_in_a_row(name: str, figure: Figure) -> Found | None:
    """The clip and itself reversed, with a short crossfade."""
    if figure.clip.frames < 24:
        return None
    plain = replace(figure.clip, loop=False)
    segments = [Segment("", ""), Segment("", "", reversed=True, crossfade=6)]
    joined = Figure(sequence(segments, lambda *_: (plain, figure.rig), "there and back")[0], figure.rig)
    return [m for each in (calm.pops, calm.jerks, calm.spins) for m in each(_same(name, "in a row", figure, joined))]


def kept(name: str, figure: Figure) -> Found | None:
    """The body is turned by 20°; feet and hands stay where they were."""
    if figure.rig.limb("left foot") is None or figure.joint("spine") < 0:
        return None
    joint = figure.clip.skeleton.names[figure.joint("spine")]
    bent = CorrectionSettings(whole_clip=True)
    n = figure.clip.frames
    settings = set_key(bent, joint, n // 2, n - 1, rotate=(12.0, 0.0, 0.0))
    moved = outcome(
        msgspec.structs.replace(make("correction"), settings=settings), Given(figure.clip, figure.rig), Context()
    )
    points = (Point(SOURCE, "source", figure.clip, figure.rig), Point("c", "bent", moved.clip, figure.rig))
    step = make("pin", joints=["left foot", "right foot", "left hand", "right hand"], since=SOURCE)
    after = Figure(outcome(step, Given(moved.clip, figure.rig), Context(earlier=points)).clip, figure.rig)
    case = _same(name, "keep", Figure(moved.clip, figure.rig), after)
    off = [
        (f"{s} foot", 1000 * np.linalg.norm(after.world[1][:, j] - figure.world[1][:, j], axis=-1), 0.0, 2.0)
        for s in SIDES
        if (j := figure.joint(f"{s} foot")) >= 0
    ]
    return worst("kept", "mm", off) + [m for each in (calm.pops, calm.jerks, calm.spins) for m in each(case)]

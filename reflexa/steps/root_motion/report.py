"""What root motion came to: distance, speeds, heading, how linear each stance is and how much the feet slide."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat, stances, travel
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps.root_motion.track import TravelTrack, travel_of


@dataclass(frozen=True)
class Footfall:
    """One stance of a foot: frames; linear: how far its way under the figure is from even and straight at most, mm; slide:
    how far it slides over the ground at most, mm; speed: that at which it goes back under the figure, m/s."""

    side: str
    first: int
    last: int
    linear: float
    slide: float
    speed: float


@dataclass(frozen=True)
class Report:
    """distance in metres along the track, speeds in m/s, heading change in degrees, left positive; one entry a stance."""

    joint: str
    distance: float
    average: float
    peak: float
    heading: float
    stances: tuple[Footfall, ...]

    def lines(self) -> list[str]:
        """The report in words."""
        out = [
            f"{self.joint} travels {self.distance:.2f} m, {self.average:.2f} m/s on average, {self.peak:.2f} at most.",
            f"The heading changes by {self.heading:+.1f}°.",
        ]
        if self.stances:
            low, high = (f(s.speed for s in self.stances) for f in (min, max))
            linear, slide = max(s.linear for s in self.stances), max(self.stances, key=lambda s: s.slide)
            out.append(
                f"Relative to the figure the standing feet move evenly to within {linear / 10:.1f} cm. Over the "
                f"ground they slide by up to {slide.slide / 10:.1f} cm ({slide.side} foot, frames {slide.first} "
                f"to {slide.last})."
            )
            out.append(f"Measured per contact, the figure moves at {low:.2f} to {high:.2f} m/s.")
        return out


def report(clip: Clip, rig: Rig) -> Report:
    """How the figure travels, how linear each stance was and how much the feet still slide."""
    t = travel_of(clip, rig, "smoothed")
    root = rig.joint("root")
    step = np.linalg.norm(np.diff(t.place, axis=0), axis=1)
    peak = float(np.linalg.norm(np.gradient(t.place, axis=0), axis=1).max() * clip.rate) if clip.frames > 1 else 0.0
    straight = travel_of(clip, rig, "straight") if root < 0 or t.joint != root else t
    turn, move = straight.moved_to(TravelTrack(np.zeros_like(t.place), np.zeros_like(t.heading), t.joint))
    found = []
    for side, f in footing(clip, rig).items():
        own = (quat.rotate(turn, f.heel) + move, quat.rotate(turn, f.ball) + move, f.heel_stands, f.ball_stands)
        under, weight = travel.bearing(own)
        over, _ = travel.bearing((f.heel, f.ball, f.heel_stands, f.ball_stands))
        for a, b in stances.spans(f.stands):
            span = slice(a, b)
            if b - a < 2 or not weight[span].any():
                continue
            sure = weight[span, None] > 0.5  # a heel alone rolls over its curve, which is no slide
            way = np.concatenate([np.zeros((1, 2)), np.cumsum(np.where(sure, under[span], 0.0), axis=0)])
            on = np.flatnonzero(np.concatenate([[False], sure[:, 0]]))
            linear = 0.0
            if len(on) > 2:
                x = np.stack([on, np.ones(len(on))], axis=1)
                off = way[on] - x @ np.linalg.lstsq(x, way[on], rcond=None)[0]
                linear = float(np.linalg.norm(off, axis=1).max())
            gone = np.concatenate([np.zeros((1, 2)), np.cumsum(np.where(sure, over[span], 0.0), axis=0)])
            speed = float(np.linalg.norm(way[-1])) * clip.rate / max(int(sure.sum()), 1)
            slide = float(np.linalg.norm(gone, axis=1).max())
            found.append(Footfall(side, a, b, 1000 * linear, 1000 * slide, speed))
    heading = float(np.degrees(t.heading[-1] - t.heading[0]))
    seconds = max(clip.duration, 1e-9)
    return Report(
        clip.skeleton.names[t.joint], float(step.sum()), float(step.sum()) / seconds if clip.frames > 1 else 0.0, peak, heading,
        tuple(sorted(found, key=lambda s: s.first)),
    )  # fmt: skip

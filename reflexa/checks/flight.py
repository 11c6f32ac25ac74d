"""Flight that does not fall: a body in the air whose centre of mass is not drawn down as everything is."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from reflexa.checks.model import Check, Finding, Limit, Repair, Subject
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.masses import centre_of_mass
from reflexa.rig.palms import palms
from reflexa.rig.rig import SIDES
from reflexa.rig.soles import soles, under_tracks
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.correction.settings import Key, Track

GRAVITY = 9.81  # m/s²
OFF = Limit("flight", 15.0, "%", "Captured jumps fall at 9.4 to 10.8 m/s² (measured).")
# Soles and palms are off what lies below by more than the first, metres; knees and elbows by more than the second; and the pelvis
# is higher than the third, as a share of the leg. Shorter flights tell nothing, seconds.
_OFF_GROUND, _CLEAR, _UP, _LONG = 0.03, 0.05, 0.4, 0.15
# A way that is no parabola, by more than this share of the leg, was not flown: something unseen carries it.
_FLOWN = 0.06
# A foot that is slower than this, m/s, for so long, seconds, stands on something.
_STILL, _RESTS = 0.12, 0.12
# Feet that come no higher than this, metres, may stand on a floor that was captured a little too low.
_HIGH = 0.07


def airborne(subject: Subject) -> NDArray[np.bool_]:
    """When nothing of a figure touches anything ``(frames,)``."""
    clip, rig = subject.clip, subject.rig
    placed, leg = clip.model[1], max(leg_length(rig), 1e-6)
    lowest = _lowest(subject)
    out = lowest > _OFF_GROUND
    if lowest.max() < _HIGH:
        return np.zeros(clip.frames, dtype=bool)
    for sole in soles(rig).values():
        # On something that is not on the stage; a foot at the top of a leap is still for a moment only.
        points = under_tracks(clip, sole)
        still = np.min([stances.speeds(p, clip.rate) for p in points], axis=0) < _STILL
        for first, last in stances.spans(still):
            if last - first + 1 >= _RESTS * clip.rate:
                out[first : last + 1] = False
    for palm in palms(rig).values():
        track = placed[:, palm.joint] - np.array([0.0, 1.0, 0.0]) * palm.lowest(clip.model[0][:, palm.joint])[:, None]
        out &= subject.over([track]) > _OFF_GROUND
    for joint in (rig.joint(p) for p in ("head", *(f"{s} {p}" for s in SIDES for p in ("shin", "forearm")))):
        if joint >= 0:
            out &= subject.over([placed[:, joint]]) > _CLEAR
    return out & (placed[:, rig.joint("pelvis"), 1] > _UP * leg)


def _lowest(subject: Subject) -> Array:
    """How high the lowest of both soles is over what lies below it ``(frames,)``, metres; 0 without feet."""
    return np.asarray(np.min([*subject.feet.values()] or [np.zeros(subject.clip.frames)], axis=0))


def _fall(track: Array, rate: float) -> tuple[float, float]:
    """How a track of heights ``(n,)`` accelerates, m/s², and how far it is from a parabola at most, metres."""
    t = np.arange(len(track)) / rate
    found = np.polyfit(t, track, 2)
    return float(2 * found[0]), float(np.abs(np.polyval(found, t) - track).max())


# By more than this (as a factor) time is not changed: the body is led along another arc instead, drawn by so many keys.
_MOST_SLOWER, _KEYS = 1.7, 7


def _repair(clip: Clip, pelvis: str, frames: tuple[int, int], falls: float) -> Repair:
    """A flight that takes as long as its height does, or where that is far off, one that is as high as its time asks for."""
    (first, last), factor = frames, float(np.sqrt(max(falls, 0.0) / GRAVITY))
    if 1 / _MOST_SLOWER <= factor <= _MOST_SLOWER:
        longer = round((last - first) * factor) - (last - first)
        factor = 1 + longer / (last - first)
        # Straight lines before, in and after the flight, their corners within a frame.
        old = [0, first - 1, first, first + 1, last - 1, last, last + 1, clip.frames - 1]
        curve = {
            float(o): round(float(o if o <= first else first + (min(o, last) - first) * factor + max(o - last, 0)), 4)
            for o in old
            if 0 <= o < clip.frames
        }
        return Repair("Retime the flight", "retime", {"how": "curve", "curve": [list(p) for p in curve.items()]})
    at = np.unique(np.linspace(first, last, _KEYS).round().astype(int))
    up = (GRAVITY - falls) / 2 * (at - first) * (last - at) / clip.rate**2
    keys = tuple(Key(int(f), move=(0.0, round(float(h), 4), 0.0)) for f, h in zip(at, up, strict=True))
    track = Track(pelvis, keys, "world", "body")
    title = "Raise the arc" if falls < GRAVITY else "Lower the arc"
    return Repair(title, "correction", msgspec.to_builtins(CorrectionSettings(tracks=(track,))))


def _run(subject: Subject) -> list[Finding]:
    """One finding per flight that does not fall at 9.81 m/s²."""
    clip, rig, limit = subject.clip, subject.rig, subject.limit(OFF)
    in_air = airborne(subject)
    centre = centre_of_mass(clip, rig) if in_air.any() else None
    if centre is None or clip.frames < 5:
        return []
    joint, leg = rig.skeleton.names[rig.joint("pelvis")], max(leg_length(rig), 1e-6)
    lowest, out = _lowest(subject), []
    for a, b in stances.spans(in_air):
        a, b = a + 1, b - 1  # on the way off the ground, and back to it, toes still push
        if b - a < max(_LONG * clip.rate, 3) or float(lowest[a : b + 1].max()) < _HIGH:
            continue
        falls, away = _fall(centre[a : b + 1, 1], clip.rate)
        off = 100 * abs(falls / -GRAVITY - 1)
        if off <= limit or away > _FLOWN * leg:
            continue
        how = "floats" if falls > -GRAVITY else "drops too fast"
        text = f"the body {how} in the air: it falls at {-falls:.1f} m/s² instead of {GRAVITY} m/s²"
        worst = a + int(np.argmax(centre[a : b + 1, 1]))
        repair = _repair(clip, joint, (a - 1, b + 1), -falls)
        out.append(Finding("flight", joint, text, (a, b), worst, off, limit, "%", repair))
    return out


CHECK = Check(
    "flight",
    "Flight",
    "The body in the air does not fall at the speed of gravity.",
    _run,
    95,
    limits=(OFF,),
    whole=True,
)

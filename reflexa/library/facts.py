"""What is known of a file in a library folder and of the clips in it: read once, kept in the index."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from reflexa.checks import Subject, grouped, look
from reflexa.formats import Imported, read
from reflexa.formats.imported import UNITS
from reflexa.library.features import features
from reflexa.library.light import Light, Strokes, light, strokes, telling
from reflexa.library.plain_rig import PlainRig, plain_rig
from reflexa.motion.clip import Clip
from reflexa.motion.cycle import openings
from reflexa.names import readable
from reflexa.rig import Rig
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.sides import words
from reflexa.steps.root_motion.report import report
from reflexa.steps.root_motion.track import travel_of, travels

STANDING, WALKING, RUNNING = GAITS = ("standing", "walking", "running")
# People change from walking to running near a Froude number (speed squared over gravity times leg) of 0.5: Kram, Domingo and
# Ferris, Effect of reduced gravity on the preferred walk-running transition speed, J. Exp. Biol. 200, 1997 (from memory).
_RUNS = 0.5
# Slower than this it is a shift of weight (common practice, no source).
_WALKS = 0.02
_GRAVITY = 9.81
# A clip is taken for a loop where its ends differ by no more than this share of the height.
_LOOPS = 0.03
# Joints of the hands get about by this much more on one side before a clip is called one of that side.
_SIDED = 1.6


@dataclass(frozen=True, eq=False)
class ClipFacts:
    """One clip. speed: over the ground on average, m/s; pace: what its feet say it goes at while they stand, m/s; gait: by
    it; side: "left", "right" or neither; findings: how many rows of them; faults: their kinds; shown: the poses of its
    light figure; pose: the one that says most."""

    name: str
    frames: int
    rate: float
    duration: float
    loop: bool
    travels: bool
    speed: float
    pace: float
    gait: str
    side: str
    events: tuple[str, ...]
    findings: int
    faults: tuple[str, ...]
    shown: Light
    pose: int
    features: NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class FileFacts:
    """One file. untidy: what is not as it should be, in words (parents' transforms, unit, facing, missing pairs)."""

    format: str
    generator: str
    unit: str
    height: float
    joints: int
    untidy: tuple[str, ...]
    rig: PlainRig
    strokes: Strokes
    clips: tuple[ClipFacts, ...]


def facts_of(path: Path) -> FileFacts:
    """Read a file and measure what is in it. Raises ReadError."""
    document = read(path)
    rig = document.rig
    drawn = strokes(rig)
    clips = tuple(_clip(c, rig, document, drawn) for c in document.or_rest)
    frame = document.frame
    return FileFacts(
        document.format, document.generator[:200], frame.unit, float(rig.height), len(rig.skeleton), untidy(document),
        plain_rig(rig), drawn, clips,
    )  # fmt: skip


def untidy(document: Imported) -> tuple[str, ...]:
    """What of a file should be put right before others build on it."""
    frame, rig, out = document.frame, document.rig, []
    if frame.baked:
        out.append(f"transforms of {', '.join(frame.baked[:3])} are not applied")
    if abs(frame.unit_scale - 1) > 1e-6:
        named = next((name for name, scale in UNITS.items() if abs(scale - frame.unit_scale) < 1e-6), "")
        out.append(f"in {named}, not metres" if named else f"in units of {frame.unit_scale * 100:.4g} cm")
    if frame.up != "+Y" or frame.facing != "+Z":
        out.append(f"{frame.up} up, facing {frame.facing}")
    if rig.pairs and rig.unpaired:
        out.append(f"without a partner: {', '.join(rig.unpaired[:4])}")
    return tuple(out)


def _clip(clip: Clip, rig: Rig, document: Imported, drawn: Strokes) -> ClipFacts:
    found = look(Subject(clip, rig, notes=document.notes_on(clip.name))) if document.clips else []
    shown = light(clip, rig, drawn)
    told = report(clip, rig)
    # What the feet say holds on the spot too, and where the root slides.
    pace = float(np.median([f.speed for f in told.stances])) if told.stances else told.average
    goes = bool(clip.frames > 2 and travels(clip, travel_of(clip, rig), leg_length(rig)))
    return ClipFacts(
        clip.name, clip.frames, clip.rate, clip.duration, bool(clip.loop or _closes(clip, rig)), goes,
        told.average, pace, _gait(pace, rig), _side(clip, rig),
        tuple(dict.fromkeys(e.name for e in clip.events)),
        len(grouped(found, rig, clip.rate)), tuple(dict.fromkeys(f.kind for f in found)), shown, telling(shown),
        features(clip, rig).astype(np.float32),
    )  # fmt: skip


def _gait(pace: float, rig: Rig) -> str:
    leg = leg_length(rig)
    if leg <= 0:
        return ""
    froude = pace**2 / (_GRAVITY * leg)
    return STANDING if froude < _WALKS else WALKING if froude < _RUNS else RUNNING


def _closes(clip: Clip, rig: Rig) -> bool:
    if clip.frames < 12:
        return False
    away, turned = (x.max() for x in openings(clip, rig.travel_joint))
    moves = float(np.ptp(clip.rotations, axis=0).max()) > 0.02
    return bool(moves and away < _LOOPS * rig.height and turned < 0.35)


def _side(clip: Clip, rig: Rig) -> str:
    """The side that a clip's name tells, or whose hand does most of what is done."""
    said = {w for w in words(clip.name) if w in ("left", "right", "port", "starboard")}
    if len(said) == 1:
        return "left" if said & {"left", "port"} else "right"
    hands, chest = [rig.joint(f"{side} hand") for side in ("left", "right")], rig.joint("pelvis")
    if min(*hands, chest) < 0 or clip.frames < 3:
        return ""
    placed = clip.model[1]
    ways = [np.linalg.norm(np.diff(placed[:, h] - placed[:, chest], axis=0), axis=1).sum() for h in hands]
    if max(ways) < 0.2 * rig.height or max(ways) < _SIDED * min(ways):
        return ""
    return "left" if ways[0] > ways[1] else "right"


@lru_cache(maxsize=20_000)
def search_words(text: str) -> str:
    """A name as words that can be searched for: split where case changes or a digit begins, and whole."""
    return " ".join(dict.fromkeys([*words(text), *readable(text).lower().replace("_", " ").replace("-", " ").split()]))

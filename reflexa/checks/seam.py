"""A loop whose end does not meet its start."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Repair, Subject
from reflexa.motion import cycle, quat

# What is seen where a loop begins again (common practice, no source): a joint that jumps by more than this, cm and degrees.
JUMP_CM, JUMP_DEG = 1.0, 2.0
# Or whose velocity changes more across the seam than elsewhere in the clip: so many times that, and cm a frame at 30 a second.
_TIMES, _KICK_CM = 2.0, 1.0
CLOSE = Repair("Close the loop", "close-loop")


def _run(subject: Subject) -> list[Finding]:
    clip, joint = subject.clip, subject.rig.travel_joint
    if not clip.loop or clip.frames < 4:
        return []
    open_m, open_turn = cycle.openings(clip, joint)
    away, angle = 100 * open_m, np.degrees(open_turn)
    names, last = clip.skeleton.names, clip.frames - 1
    worst = int(np.argmax(away / JUMP_CM + angle / JUMP_DEG))
    if away[worst] > JUMP_CM:
        text = f"the loop jumps: {names[worst]} by {away[worst]:.1f} cm"
        return [Finding("seam", names[worst], text, (0, last), last, float(away[worst]), JUMP_CM, "cm", CLOSE)]
    if angle[worst] > JUMP_DEG:
        text = f"the loop jumps: {names[worst]} turns by {angle[worst]:.1f}°"
        return [Finding("seam", names[worst], text, (0, last), last, float(angle[worst]), JUMP_DEG, "°", CLOSE)]
    turn, _ = cycle.seam(clip, joint)
    steps = np.diff(clip.model[1], axis=0) * (100 * clip.rate / 30)
    kick = np.linalg.norm(quat.rotate(turn, steps[0]) - steps[-1], axis=-1)
    usual = np.linalg.norm(np.diff(steps, axis=0), axis=-1).max(axis=0)
    over = kick - np.maximum(_TIMES * usual, _KICK_CM)
    at = int(np.argmax(over))
    if over[at] <= 0:
        return []
    text = f"the loop jerks: the velocity of {names[at]} changes by {kick[at]:.1f} cm a frame, elsewhere by {usual[at]:.1f}"
    limit = float(max(_TIMES * usual[at], _KICK_CM))
    return [Finding("seam", names[at], text, (0, last), last, float(kick[at]), limit, "cm a frame", CLOSE)]


CHECK = Check(
    "seam", "Loop seam", "The end of a loop does not meet its start, in pose or velocity.", _run, 36, ("seam",)
)

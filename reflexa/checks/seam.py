"""A loop whose end does not meet its start."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Repair, Subject
from reflexa.motion import cycle, quat

JUMP = Limit("seam", 1.0, "cm", "The jump that becomes visible where a loop starts again.")
TURN = Limit("seam-turn", 2.0, "°", "The jump that becomes visible where a loop starts again.")
KICK = Limit(
    "seam-velocity", 1.0, "cm per frame",
    "How much the velocity of a joint may change across the seam, at 30 frames per second.",
)  # fmt: skip
# And by so many times what it does elsewhere in the clip.
_TIMES = 2.0
CLOSE = Repair("Close the loop", "close-loop")


def _run(subject: Subject) -> list[Finding]:
    clip, joint = subject.clip, subject.rig.travel_joint
    jump, turned = subject.limit(JUMP), subject.limit(TURN)
    if not clip.loop or clip.frames < 4:
        return []
    open_m, open_turn = cycle.openings(clip, joint)
    away, angle = 100 * open_m, np.degrees(open_turn)
    names, last = clip.skeleton.names, clip.frames - 1
    worst = int(np.argmax(away / jump + angle / turned))
    if away[worst] > jump:
        text = f"the loop jumps: {names[worst]} by {away[worst]:.1f} cm"
        return [Finding("seam", names[worst], text, (0, last), last, float(away[worst]), jump, "cm", CLOSE)]
    if angle[worst] > turned:
        text = f"the loop jumps: {names[worst]} rotates by {angle[worst]:.1f}°"
        return [Finding("seam", names[worst], text, (0, last), last, float(angle[worst]), turned, "°", CLOSE)]
    turn, _ = cycle.seam(clip, joint)
    steps = np.diff(clip.model[1], axis=0) * (100 * clip.rate / 30)
    kick = np.linalg.norm(quat.rotate(turn, steps[0]) - steps[-1], axis=-1)
    usual = np.linalg.norm(np.diff(steps, axis=0), axis=-1).max(axis=0)
    most = np.maximum(_TIMES * usual, subject.limit(KICK))
    over = kick - most
    at = int(np.argmax(over))
    if over[at] <= 0:
        return []
    text = f"the loop jerks: the velocity of {names[at]} changes by {kick[at]:.1f} cm per frame, elsewhere by {usual[at]:.1f}"
    return [Finding("seam", names[at], text, (0, last), last, float(kick[at]), float(most[at]), "cm per frame", CLOSE)]


CHECK = Check(
    "seam",
    "Loop seam",
    "The end of a loop does not match its start, in pose or velocity.",
    _run,
    36,
    limits=(JUMP, TURN, KICK),
    about="time",
    whole=True,
    fine="loops close",
)

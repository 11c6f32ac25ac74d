"""Goals that are not met: out of reach, or undone by a later step."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Finding, Subject
from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array
from reflexa.steps.goal import GoalSettings, distance, looks

# A hand this far from what it holds is seen to miss it (common practice, no source).
MISSED_CM, ASIDE_DEG = 0.5, 5.0


def goals(subject: Subject) -> list[Finding]:
    """One finding per goal that the result misses while it is to be held; a later goal of the same limb has precedence."""
    out = []
    wanted = [(s, s.settings) for s in subject.steps if s.on and s.weight == 1 and isinstance(s.settings, GoalSettings)]
    later: dict[str, Array] = {}
    for step, settings in reversed(wanted):
        try:
            away, weight = distance(subject.clip, subject.rig, settings, subject.stage)
        except RecipeError:
            continue  # a later step took the clip to a rig that has nothing to do with this goal
        holds = (weight > 0.999) & (step.envelope_at(np.arange(subject.clip.frames)) > 0.999)
        others = later.get(settings.limb, np.zeros(subject.clip.frames))
        later[settings.limb] = np.maximum(others, weight)
        holds &= others <= 0
        aims = looks(subject.rig, settings.limb)
        size = np.degrees(away) if aims else 100 * away
        unit, most = ("°", ASIDE_DEG) if aims else ("cm", MISSED_CM)
        missed = np.flatnonzero(holds & (size > most)) if settings.place or aims else np.empty(0, dtype=np.intp)
        if len(missed):
            worst = int(missed[np.argmax(size[missed])])
            text = f"{settings.limb} misses the goal {step.name!r} by up to {size[worst]:.1f} {unit}"
            joint = subject.rig.joint(settings.limb)
            name = subject.clip.skeleton.names[joint] if joint >= 0 else settings.limb
            out.append(
                Finding(
                    "goal out of reach",
                    name,
                    text,
                    (int(missed[0]), int(missed[-1])),
                    worst,
                    float(size[worst]),
                    most,
                    unit,
                )
            )
    return out[::-1]

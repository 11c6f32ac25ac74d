"""Takes that put right what is wrong with the ground: travel, skating and sunken feet, a hand that misses its crank, tails
that stop dead. Each with the stage that it is judged by."""

from __future__ import annotations

import msgspec
import numpy as np

from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import Prop, PropKey, Stage
from reflexa.stage.presets import PRESETS, winch_crank
from reflexa.steps import make
from reflexa.steps.reach import ReachSettings, meets_with
from reflexa.take import Source, Take

# The quay bends to port; the figure slows down where it turns.
QUAY = ((0.0, 0.0), (0.0, 0.7), (0.0, 1.4), (0.35, 2.6), (1.3, 3.6), (2.6, 4.2))
PACE = ((0.0, 1.0), (0.45, 0.85), (1.0, 1.1))
# The crank stands this far from where the hands go round, metres: the fault that the take repairs.
MISSED = (0.0, -0.025, 0.02)


def crank_of(clip: Clip, rig: Rig) -> Prop:
    """A crank that goes round as the hands do, a little off."""
    palms = []
    for limb in ("left hand", "right hand"):
        joint = rig.joint(limb)
        meets = meets_with(rig, ReachSettings(limb=limb))
        palms.append(clip.model[1][:, joint] + quat.rotate(clip.model[0][:, joint], meets))
    middle = (palms[0] + palms[1]) / 2
    # The circle that fits best (Kåsa 1976): y² + z² = 2 a y + 2 b z + c.
    y, z = middle[:, 1], middle[:, 2]
    a, b, c = np.linalg.lstsq(np.stack([2 * y, 2 * z, np.ones_like(y)], axis=1), y * y + z * z, rcond=None)[0]
    radius = float(np.sqrt(c + a * a + b * b))
    wide = float(np.abs(palms[0][:, 0] - palms[1][:, 0]).mean()) * 1.5
    angle = np.degrees(np.unwrap(np.arctan2(z - b, y - a)))
    place = (round(float(middle[:, 0].mean()), 3), round(float(a) + MISSED[1], 3), round(float(b) + MISSED[2], 3))
    frames = sorted({*range(0, clip.frames, 4), clip.frames - 1})
    keys = tuple(PropKey(f, place, (0.0, round(float(angle[f]), 2), 0.0)) for f in frames)
    return msgspec.structs.replace(winch_crank(round(radius, 3), round(wide, 3)), place=place, keys=keys)


def takes(deckhand: str, keeper: str, heron: str, winch: Clip, keeper_rig: Rig) -> tuple[Take, ...]:
    """The takes, and the stages that they are judged by."""
    jetty = Stage((PRESETS["jetty step"](),))
    crank = Stage((crank_of(winch, keeper_rig),))
    quay = make("root-motion", "Along the quay", operation="along path", path=QUAY, walked="to its end", pace=PACE)
    return (
        Take("Walk, travel from its feet", Source(deckhand, "walk on the spot"),
             (make("root-motion", "From its feet", operation="from feet"),)),
        Take("Walk along the quay", Source(deckhand, "walk to the landing"),
             (quay, make("foot-lock", "Feet on the planks", look_at="the source"))),
        Take("Walk, skating fixed", Source(deckhand, "walk, skating"), (make("foot-lock", "Feet stand still"),)),
        Take("Haul, feet out of the planks", Source(deckhand, "rope haul, feet sunk"), (make("foot-lock", "Onto the planks"),)),
        Take("Step up onto the jetty", Source(deckhand, "step up"), (make("foot-lock", "On the step"),), stage=jetty),
        Take("Winch, hands on the crank", Source(keeper, "turning the winch"),
             (make("reach", "Right hand on it", limb="right hand", to="grip", prop="winch crank", grip="starboard"),
              make("reach", "Left hand on it", limb="left hand", to="grip", prop="winch crank", grip="port"),
              make("helper-joints", "Marks back in place")), stage=crank),
        Take("Strut, feathers following", Source(heron, "strut"),
             (make("follow-through", "Tail", chain="tail", frequency=1.6, damping=0.25),
              make("follow-through", "Left wing", chain="left wing", frequency=2.4),
              make("follow-through", "Right wing", chain="right wing", frequency=2.4))),
    )  # fmt: skip

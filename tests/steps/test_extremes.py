"""Motion that is finite stays finite, however large, small, far or broken: every kind of step gives numbers or a typed error."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from reflexa.checks import Subject, look
from reflexa.errors import ReflexaError
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.steps import KINDS, Context, make, outcome
from reflexa.steps.model import Beginning, Given

MORE: dict[str, list[dict[str, Any]]] = {
    "root-motion": [
        *({"operation": o} for o in ("from feet", "from pelvis", "in place", "remove drift", "to origin", "hand back")),
        {"operation": "along path", "path": [(0, 0), (1e6, 1e6)]},
        {"operation": "along path", "path": [(0, 0), (0, 0)]},
        {"operation": "along path", "path": [(0, 0), (0, 2)], "pace": [(0.5, 1.0), (0.5, 0.2)]},
    ],
    "retime": [{"how": "curve", "curve": [(0, 0), (0, 128)]}, {"how": "curve", "curve": [(0, 0), (1e-9, 128)]}],
    "goal": [{"limb": "left hand", "point": (1e308, 0, 0)}, {"limb": "left foot", "point": (0, 1e-9, 0)}],
    "correction": [
        {"tracks": [{"joint": "head", "keys": [{"frame": 3, "rotate": [1e308, 0, 0], "move": [1e308, 0, 0]}]}]}
    ],
    "follow-through": [{"chain": "coat", "frequency": 1e-300}],
}


def sized(clip: Clip, k: float) -> tuple[Clip, Rig]:
    s = clip.skeleton
    skeleton = Skeleton(s.names, s.parents, s.rest_rotations, s.rest_translations * k)
    return Clip("sized", skeleton, clip.rotations, clip.translations * k, clip.rate), analyse(skeleton)


def moved(clip: Clip, rig: Rig, first: int, by: float) -> tuple[Clip, Rig]:
    t = np.array(clip.translations)
    t[first:, 0] += by
    return clip.with_motion(clip.rotations, t), rig


CASES: dict[str, Callable[[Clip, Rig], tuple[Clip, Rig]]] = {
    "a nanometre": lambda c, r: sized(c, 1e-9),
    "a thousand kilometres": lambda c, r: sized(c, 1e6),
    "far away": lambda c, r: moved(c, r, 0, 1e6),
    "a jump": lambda c, r: moved(c, r, 40, 1e6),
    "all in one place": lambda c, r: (c.with_motion(c.rotations, np.zeros_like(c.translations)), r),
}


@pytest.mark.parametrize("case", list(CASES))
@pytest.mark.filterwarnings("ignore::RuntimeWarning")
def test_every_kind_of_step_gives_numbers_or_a_typed_error(case: str, deckhand_clips, deckhand_rig) -> None:
    clip, rig = CASES[case](deckhand_clips["walk to the landing"].cut(0, 60), deckhand_rig)
    context = Context({"t": deckhand_rig}, {"c": (deckhand_clips["walk"], deckhand_rig)})
    for kind in KINDS.values():
        begun = (
            kind.begin(Beginning(Given(clip, rig), context, joint="head", frame=20)) if kind.begin is not None else {}
        )
        draws = {"blend": {"clip": "c"}, "retarget": {"rig": "t"}}.get(kind.kind, {})
        for settings in ({**begun, **draws}, *MORE.get(kind.kind, ())):
            try:
                out = outcome(make(kind.kind, **settings), Given(clip, rig), context)
            except ReflexaError:
                continue
            made = out.clip
            assert np.isfinite(made.rotations).all() and np.isfinite(made.model[1]).all(), (kind.kind, settings)
            _ = out.report
            look(Subject(made, out.rig))

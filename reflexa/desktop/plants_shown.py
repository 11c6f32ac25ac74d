"""The plants of the selected step, and the heights and speeds that they come from: computed once for what is shown."""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import msgspec
import numpy as np

from reflexa.desktop.session import Session
from reflexa.errors import RecipeError
from reflexa.motion import contacts
from reflexa.motion.arrays import Array
from reflexa.rig.match import leg_length
from reflexa.rig.soles import soles
from reflexa.stage.footing import Thresholds, footing
from reflexa.steps.model import Around, Point
from reflexa.steps.plants import Plant, PlantsSettings, plants_of


@dataclass(frozen=True, eq=False)
class Traces:
    """Per limb that can be planted: height in metres over what lies below and speed in m/s ``(frames,)``; leg in metres."""

    tracks: dict[str, tuple[Array, Array]]
    leg: float


# What was computed last for a window, and what it was computed from.
_plants: WeakKeyDictionary[Session, tuple[tuple[object, ...], tuple[Plant, ...]]] = WeakKeyDictionary()
_traces: WeakKeyDictionary[Session, tuple[tuple[object, ...], Traces]] = WeakKeyDictionary()


def settings_of(session: Session) -> PlantsSettings | None:
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, PlantsSettings) else None


def _around(session: Session) -> Around:
    known = session.evaluation
    assert known is not None
    names = ["source", *(s.name for s in known.take.steps)]
    points = (Point(n, c, r) for n, c, r in zip(names, known.clips, known.rigs, strict=True))
    return Around(stage=session.stage, earlier=tuple(points)[: session.card + 1])


def plants_shown(session: Session) -> tuple[Plant, ...]:
    """The plants of the selected step, as found or as written down; none while what they lie on is computed."""
    settings, below, rig = settings_of(session), session.below, session.below_rig
    if settings is None:
        return ()
    if not settings.find:
        return settings.plants
    if below is None or rig is None or session.evaluation is None:
        return ()
    key = (settings, below, rig, session.stage, session.evaluation.clips[0])
    kept = _plants.get(session)
    if kept is None or not _same(kept[0], key):
        try:
            plants = plants_of(below, rig, settings, _around(session))
        except RecipeError:
            plants = ()
        kept = _plants[session] = (key, plants)
    return kept[1]


def _same(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    return all(x is y or (isinstance(x, msgspec.Struct) and x == y) for x, y in zip(a, b, strict=True))


def edit(session: Session, label: str, plants: tuple[Plant, ...], merge: str = "") -> None:
    """Set the plants by hand: from then on they are no longer found anew."""
    step, settings = session.step, settings_of(session)
    if step is not None and settings is not None:
        new = msgspec.structs.replace(settings, find=False, plants=plants)
        session.edit_step(label, msgspec.structs.replace(step, settings=new), merge)


def traces(session: Session) -> Traces | None:
    """Heights and speeds of feet (and hands) below the selected step."""
    below, rig = session.below, session.below_rig
    if below is None or rig is None:
        return None
    key = (below, rig, session.stage)
    kept = _traces.get(session)
    if kept is None or not _same(kept[0], key):
        tracks = {
            f"{side} foot": (f.height, f.speed)
            for side, f in footing(below, rig, session.stage, Thresholds(), "stage").items()
        }
        for limb in ("left hand", "right hand"):
            joint = rig.joint(limb)
            if joint >= 0:
                places = below.model[1][:, joint]
                tracks[limb] = np.full(below.frames, np.nan), contacts.speeds(places, below.rate)
        kept = _traces[session] = (key, Traces(tracks, max(leg_length(rig), 1e-6)))
    return kept[1]


def picked_place(session: Session, plant: Plant) -> tuple[float, float, float] | None:
    """Where the ball of a plant's foot (or the wrist) is at the playhead, before the step."""
    below, rig = session.below, session.below_rig
    if below is None or rig is None:
        return None
    at = slice(min(session.frame, below.frames - 1), None)
    turned, placed = (a[at][:1] for a in below.model)
    side, _, part = plant.limb.partition(" ")
    if part == "foot" and side in soles(rig):
        place = soles(rig)[side].points(turned, placed)[1][0]
    else:
        place = placed[0, rig.joint(plant.limb)]
    x, y, z = (round(float(v), 4) for v in place)
    return x, y, z

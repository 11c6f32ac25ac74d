"""What is done to a clip, and what is measured of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from typing import Any

import msgspec
import numpy as np

from quality import body, calm, ground, laws, timed, whole
from quality.figure import LIMBS, SIDES, Figure
from quality.model import Case, Measure, worst
from reflexa.errors import RecipeError
from reflexa.rig.match import match
from reflexa.steps import Context, Given, Point, Step, make, outcome
from reflexa.steps.correction import CorrectionSettings, set_key, usual_drive
from reflexa.steps.model import SOURCE
from reflexa.steps.root_motion.kind import own_way

Found = list[Measure]
Operation = Callable[[str, Figure], Found | None]
_ALL = (
    calm.pops,
    calm.jerks,
    calm.spins,
    calm.straight,
    calm.calm,
    ground.soles,
    ground.slides,
    ground.hands,
    whole.seams,
)


def run(step: Step, figure: Figure, **context: Any) -> Figure:
    clip, rig = figure.clip, figure.rig
    around = Context(earlier=(Point(SOURCE, "source", clip, rig),), **context)
    done = outcome(step, Given(clip, rig), around)
    return Figure(done.clip, done.rig)


def same(name: str, what: str, before: Figure, after: Figure, **more: Any) -> Case:
    """Every joint is held against itself."""
    joints = tuple((j, j) for j in range(len(before.clip.skeleton)))
    limbs = tuple((limb, limb) for limb in _limbs())
    return Case(name, what, before, after, joints, limbs, **more)


def _limbs() -> list[str]:
    return [f"{side} {limb}" for side in SIDES for limb in LIMBS]


def measures(case: Case, *besides: Found) -> Found:
    return [m for each in _ALL for m in each(case)] + [m for found in besides for m in found]


# Operations ------------------------------------------------------------------------------------------------------


def mirror(name: str, figure: Figure) -> Found:
    after = run(make("mirror"), figure)
    rig = figure.rig
    joints = tuple((int(p), j) for j, p in enumerate(rig.partner))
    other = {"left": "right", "right": "left"}
    limbs = tuple((f"{other[limb.split()[0]]} {limb.split()[1]}", limb) for limb in _limbs())
    return measures(Case(name, "mirror", figure, after, joints, limbs, floor=True))


def retarget(to: str, target: Figure, name: str, figure: Figure) -> Found | None:
    if figure.joint("pelvis") < 0 or figure.rig.key == target.rig.key:
        return None
    step, rigs = make("retarget", rig=to), {to: target.rig}
    after = run(step, figure, rigs=rigs)
    m = match(figure.rig, target.rig)
    whole_ = dict(zip(m.targets.tolist(), m.below.tolist(), strict=True))
    joints, parents = [], target.rig.skeleton.parents.tolist()
    of: dict[int, int] = {}
    for j in range(len(parents)):
        of[j] = whole_.get(j, of.get(parents[j], -1))
        if of[j] >= 0 and target.rig.skeleton.names[j] not in target.rig.helpers:
            joints.append((of[j], j))
    limbs = tuple((x, x) for x in _limbs())
    case = Case(name, f"onto {to}", figure, after, tuple(joints), limbs, floor=True, factor=(m.stride, m.rise))
    found = measures(case, body.hands_apart(case), body.inside(case))
    if figure.clip.frames < 1000:
        found += laws.commutes("reversed", figure, lambda f: run(step, f, rigs=rigs), lambda f: run(make("reverse"), f))
        if _even(figure) and _even(target):
            found += laws.commutes("mirrored", figure, lambda f: run(step, f, rigs=rigs), _mirrored)
    back = run(make("retarget", rig="back"), after, rigs={"back": figure.rig})
    there = same(name, f"onto {to} and back", figure, back, floor=True)
    there = replace(there, limbs=tuple(x for x in there.limbs if x[1] in after.bends))
    for each in (calm.pops, calm.jerks, calm.spins, calm.straight):
        found += [replace(m, name=f"back: {m.name}") for m in each(there)]
    return found


def contacts(name: str, figure: Figure) -> Found | None:
    if not figure.feet or not all(f"{s} knee" in figure.bends for s in figure.feet):
        return None
    step = make("foot-lock")
    after = run(step, figure)
    again = run(step, after)
    case = same(name, "foot-lock", figure, after, floor=True, on_purpose=())
    turned_over = laws.commutes("mirrored", figure, lambda f: run(step, f), _mirrored)
    return measures(case) + whole.twice("twice", after, again) + (turned_over if _even(figure) else [])


def _mirrored(figure: Figure) -> Figure:
    return run(make("mirror", plane="world"), figure)


def _even(figure: Figure) -> bool:
    """Is the rig its own reflection? Of another one a reflected clip is another motion."""
    return max((p.residual_mm for p in figure.rig.pairs), default=0.0) < 0.5


def in_place(name: str, figure: Figure) -> Found | None:
    if figure.joint("pelvis") < 0 and figure.joint("root") < 0:
        return None
    step = make("root-motion", operation="in place")
    after = run(step, figure)
    found = calm.pops(same(name, "in place", figure, after)) + whole.twice("twice", after, run(step, after))
    return found + _root(name, figure, after)


def along(name: str, figure: Figure) -> Found | None:
    if figure.joint("pelvis") < 0:
        return None
    way = own_way(figure.clip, figure.rig)
    after = run(make("root-motion", operation="along path", path=way), figure)
    return calm.pops(same(name, "along path", figure, after)) + whole.seams(same(name, "", figure, after))


def from_pelvis(name: str, figure: Figure) -> Found | None:
    if figure.joint("pelvis") < 0:
        return None
    start = run(make("root-joint", called="ground"), figure) if figure.joint("root") < 0 else figure
    after = run(make("root-motion", operation="from pelvis"), start)
    return calm.pops(same(name, "", start, after)) + _root(name, start, after)


def _root(name: str, before: Figure, after: Figure) -> Found:
    root = after.joint("root")
    return [] if root < 0 else whole.heading(same(name, "", before, after), root, before.joint("pelvis"))


def _hand(figure: Figure) -> str | None:
    return next((p for p in ("right hand", "left hand", "right foot") if figure.rig.limb(p) is not None), None)


def goal(where: tuple[float, float, float], name: str, figure: Figure) -> Found | None:
    """A hand or foot, the figure kept in place, brought somewhere about its shoulder or hip (in lengths of the limb; x towards
    the middle) and held there for a while."""
    limb = _hand(figure)
    if limb is None or figure.clip.frames < 12 or figure.joint("pelvis") < 0:
        return None
    figure = run(make("root-motion", operation="in place"), figure)
    clip, rig = figure.clip, figure.rig
    joints = rig.limb(limb)
    assert joints is not None
    places = figure.world[1]
    n = clip.frames
    lead = max(4, round(0.5 * clip.rate))
    mid = n // 2
    length = sum(float(np.linalg.norm(places[0, b] - places[0, a])) for a, b in zip(joints, joints[1:], strict=False))
    ahead = figure.ahead[mid]
    inner = np.cross([0.0, 1.0, 0.0], ahead) * (1 if limb.startswith("right") else -1)
    point = places[mid, joints[0]] + length * (
        where[0] * inner + where[1] * np.array([0.0, 1.0, 0.0]) + where[2] * ahead
    )
    reach = {"start": mid - 2 * lead, "at": mid - lead // 2, "until": mid + lead // 2, "end": mid + 2 * lead}
    settings = {"limb": limb, "point": point.tolist(), "meets": "joint", "reaches": [reach]}
    full = run(make("reach", **settings), figure)
    half = run(msgspec.structs.replace(make("reach", **settings), weight=0.5), figure)
    side, part = limb.split()
    case = same(name, "goal", figure, full, on_purpose=(f"{side} {'elbow' if part == 'hand' else 'knee'}",))
    e = joints[2]
    held = slice(max(reach["at"], 0), min(reach["until"], n - 1) + 1)
    way = [x.world[1][held, e] for x in (figure, half, full)]
    # Through its own shoulder or hip no limb goes: it goes round.
    fits = np.linalg.norm((way[0] + way[2]) / 2 - places[held, joints[0]], axis=-1) > 0.3 * length
    way = [w[fits] for w in way]
    # A limb that is led somewhere turns by as much as the way to its end does.
    own = calm.led(full, joints[0], e)
    found = [replace(m, bound=m.bound + own) for m in calm.pops(case)] + calm.spins(case)
    return found + calm.straight(case) + whole.half_way(way[0], way[1], way[2], limb)


def look(name: str, figure: Figure) -> Found | None:
    """The head looks at a point that passes behind the figure."""
    if figure.joint("head") < 0 or figure.clip.frames < 12:
        return None
    n, head = figure.clip.frames, figure.world[1][:, figure.joint("head")]
    keys = []
    for f in range(0, n, max(1, n // 12)):
        angle = 2 * np.pi * f / n
        way = np.array([np.sin(angle), 0.1, np.cos(angle)])
        keys.append({"frame": f, "place": (head[f] + 2 * way).tolist()})
    after = run(make("reach", limb="head", to="keyed", keys=keys), figure)
    own = 8.0 + 360 * 30 / figure.clip.rate / n * 2  # the target goes round by itself
    found = calm.pops(same(name, "look", figure, after))
    return [Measure("look turn", m.unit, m.value, m.source, m.bound + own, m.frame, m.where) for m in found]


def half_mirrored(mixed_in: str, name: str, figure: Figure) -> Found | None:
    """Half of the clip's own mirror image laid over it."""
    if figure.clip.frames < 4:
        return None
    other = run(make("mirror"), figure)
    step = msgspec.structs.replace(make("blend", clip="o", space=mixed_in), weight=0.5)
    after = run(step, figure, clips={"o": (other.clip, other.rig)})
    case = same(name, "blend", figure, after)
    return [m for each in (calm.pops, calm.spins, whole.seams) for m in each(case)]


def follow(way: str, name: str, figure: Figure) -> Found | None:
    chain = next(iter(figure.rig.chains), "") or next(
        (figure.rig.body_map[p][0] for p in ("neck", "head", "right forearm") if p in figure.rig.body_map), ""
    )
    if not chain:
        return None
    after = run(make("follow-through", chain=chain, way=way), figure)
    # What swings is meant to turn; nothing else is.
    links = figure.rig.chains.get(chain, (chain,))
    swings = set(figure.rig.skeleton.below(figure.rig.skeleton.index[links[0]]))
    case = same(name, "follow", figure, after)
    case = replace(case, joints=tuple(pair for pair in case.joints if pair[1] not in swings))
    found = calm.pops(case)
    return found + whole.seams(same(name, "", figure, after))


def undamped(name: str, figure: Figure) -> Found | None:
    if not figure.clip.loop:
        return None
    chain = next(iter(figure.rig.chains), "") or figure.rig.body_map.get("head", ("",))[0]
    if not chain:
        return None
    after = run(make("follow-through", chain=chain, damping=0.0), figure)
    return whole.seams(same(name, "", figure, after))


def handle(part: str, move: tuple[float, float, float], name: str, figure: Figure) -> Found | None:
    """A hand pulls a limb's or the body's handle at the middle of the clip, over half a second on both sides."""
    joint = figure.joint(part)
    if joint < 0 or figure.clip.frames < 12 or (part != "pelvis" and figure.rig.limb(part) is None):
        return None
    clip, rig = figure.clip, figure.rig
    names = clip.skeleton.names
    drives, stay = usual_drive(rig, names[joint])
    empty = CorrectionSettings(falloff=max(4, round(0.5 * clip.rate)))
    settings = set_key(
        empty, names[joint], clip.frames // 2, clip.frames - 1, move=move, drives=drives, stay=stay, space="world"
    )
    step = msgspec.structs.replace(make("correction"), settings=settings)
    after = run(step, figure)
    limb = f"{part.split()[0]} {'elbow' if 'hand' in part else 'knee'}"
    case = same(name, "handle", figure, after, on_purpose=(limb,) if part != "pelvis" else tuple(_limbs()))
    found = [m for each in (calm.pops, calm.spins, calm.straight, calm.jerks, calm.calm) for m in each(case)]
    if part == "pelvis":
        found += _feet_stay(figure, after)
    return found


def _feet_stay(before: Figure, after: Figure) -> Found:
    found = []
    for side in SIDES:
        j = before.joint(f"{side} foot")
        if j >= 0:
            found.append(
                (f"{side} foot", 1000 * np.linalg.norm(after.world[1][:, j] - before.world[1][:, j], axis=-1), 0.0, 2.0)
            )
    return worst("feet stay", "mm", found)


def all_of(rigs: dict[str, Figure]) -> dict[str, Operation]:
    """Every operation by name."""
    out: dict[str, Operation] = {"mirror": mirror}
    for to, target in rigs.items():
        out[f"onto {to}"] = partial(retarget, to, target)
    out |= {
        "foot-lock": contacts,
        "in place": in_place,
        "from pelvis": from_pelvis,
        "along path": along,
        "goal ahead": partial(goal, (0.1, -0.3, 0.7)),
        "goal across": partial(goal, (0.6, 0.1, 0.5)),
        "goal too far": partial(goal, (0.2, 0.1, 1.4)),
        "look round": look,
        "half a blend": partial(half_mirrored, "local"),
        "half a blend in model space": partial(half_mirrored, "model"),
        "spring": partial(follow, "spring"),
        "delay": partial(follow, "delay"),
        "spring without damping": undamped,
        "hand pulled": partial(handle, "right hand", (0.0, 0.1, 0.05)),
        "foot pulled": partial(handle, "left foot", (0.0, 0.08, 0.05)),
        "body lifted": partial(handle, "pelvis", (0.0, 0.1, 0.0)),
        "reverse": timed.reverse,
        "slower and back": timed.faster_and_back,
        "trim": timed.trimmed,
        "hold": timed.held_for_a_while,
        "close loop": partial(timed.closed, False),
        "close loop, found": partial(timed.closed, True),
        "cycle": timed.repeated,
        "there and back in a row": timed.there_and_back_in_a_row,
        "keep": timed.kept,
        "body lowered": partial(handle, "pelvis", (0.0, -0.1, 0.0)),
    }
    return out


def measured(operation: Operation, name: str, figure: Figure) -> Iterator[Measure]:
    try:
        yield from operation(name, figure) or []
    except RecipeError as e:
        print(f"  {name}: {e}")

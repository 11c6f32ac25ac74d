"""Props as values, and where they are while a clip runs."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Annotated, Literal, Protocol

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import ArrayLike

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.motion.clip import Clip

Shape = Literal["box", "ramp", "cylinder", "mesh"]
MOST_TRIANGLES = 20_000


class Grip(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A place on a prop to be held: place in metres and turn in degrees (about y, x, z in that order), in the prop's own
    axes; the prop's own origin is the middle of its base."""

    name: str
    place: Vector = (0.0, 0.0, 0.0)
    turn: Vector = (0.0, 0.0, 0.0)


class PropKey(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where a prop is at a frame: place in metres, turn in degrees (may pass 360: a crank that goes round)."""

    frame: int
    place: Vector
    turn: Vector = (0.0, 0.0, 0.0)


class Carrying(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A prop goes with a joint from one moment to another, each a frame or the name of an event; empty: to the end."""

    joint: str
    begin: int | str
    end: int | str = ""


class Prop(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, cache_hash=True):
    """A thing on the stage.

    size: width, height, depth in metres (a cylinder's width is its diameter and its height its length; a ramp rises
    towards +z). place: the middle of its base, metres; turn: degrees about y, x, z, in that order. surface: feet may
    stand on it. vertices, triangles: of a mesh, in its own axes. lines up with ``keys`` and ``holds`` over a clip.
    """

    name: str
    shape: Shape = "box"
    size: tuple[Annotated[float, Meta(gt=0, le=1000)], Annotated[float, Meta(gt=0, le=1000)],
                Annotated[float, Meta(gt=0, le=1000)]] = (1.0, 1.0, 1.0)  # fmt: skip
    place: Vector = (0.0, 0.0, 0.0)
    turn: Vector = (0.0, 0.0, 0.0)
    surface: bool = True
    grips: tuple[Grip, ...] = ()
    keys: tuple[PropKey, ...] = ()
    holds: tuple[Carrying, ...] = ()
    vertices: tuple[Vector, ...] = ()
    triangles: tuple[tuple[int, int, int], ...] = ()

    def __post_init__(self) -> None:
        numbers = [*self.size, *self.place, *self.turn, *(v for k in self.keys for v in (*k.place, *k.turn))]
        numbers += [v for p in self.vertices for v in p] + [v for g in self.grips for v in (*g.place, *g.turn)]
        if not np.all(np.isfinite(numbers)):
            raise ValueError(f"{self.name!r} has a number that is not finite")
        if len(self.triangles) > MOST_TRIANGLES:
            raise ValueError(
                f"{self.name!r} has {len(self.triangles)} triangles; the most allowed are {MOST_TRIANGLES}"
            )
        if any(not 0 <= i < len(self.vertices) for t in self.triangles for i in t):
            raise ValueError(f"{self.name!r} has a triangle with missing corners")
        if any(b.frame <= a.frame for a, b in zip(self.keys, self.keys[1:], strict=False)):
            raise ValueError(f"the keys of {self.name!r} are not in order of frames")

    @property
    def moves(self) -> bool:
        return bool(self.keys or self.holds)

    def grip(self, name: str) -> Grip | None:
        """The grip of that name; the prop's own origin for an empty one."""
        return Grip("") if not name else next((g for g in self.grips if g.name == name), None)


class Stage(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The ground at height 0, and props on it. Names are all different."""

    props: tuple[Prop, ...] = ()

    def __post_init__(self) -> None:
        names = [p.name for p in self.props]
        double = next((n for i, n in enumerate(names) if n in names[:i]), None)
        if double is not None:
            raise ValueError(f"two props are called {double!r}")

    @property
    def digest(self) -> str:
        """SHA-256 over everything that the stage says."""
        # Not of its saved form: that leaves out defaults, which a stage that came from another process has as values of its own.
        return hashlib.sha256(repr(self).encode()).hexdigest()

    def prop(self, name: str) -> Prop | None:
        return next((p for p in self.props if p.name == name), None)

    def with_prop(self, old: str, prop: Prop) -> Stage:
        """The stage with the prop called ``old`` replaced, or the prop added where there is none."""
        if self.prop(old) is None:
            return Stage((*self.props, prop))
        return Stage(tuple(prop if p.name == old else p for p in self.props))

    def without(self, name: str) -> Stage:
        return Stage(tuple(p for p in self.props if p.name != name))


EMPTY = Stage()


def turn_of(degrees: Vector | Array) -> Array:
    """The rotation ``(…, 4)`` of turns in degrees ``(…, 3)``: about y, then x, then z, each in the axes already turned."""
    d = np.radians(np.asarray(degrees, dtype=np.float64))
    return quat.multiply(quat.multiply(quat.about(1, d[..., 0]), quat.about(0, d[..., 1])), quat.about(2, d[..., 2]))


def degrees_of(q: Array) -> Vector:
    """The opposite of ``turn_of`` for one rotation ``(4,)``."""
    return vector(np.degrees(quat.to_euler(q, "YXZ")).round(6))


class Keyed(Protocol):
    """Whatever says a place and a turn at a frame."""

    @property
    def frame(self) -> int: ...
    @property
    def place(self) -> Vector: ...
    @property
    def turn(self) -> Vector: ...


def between_keys(keys: Sequence[Keyed], frames: ArrayLike) -> tuple[Array, Array]:
    """Turns in degrees and places ``(n, 3)`` at frames: even between keys, and as the nearest one outside them."""
    at = [k.frame for k in keys]
    turns, places = np.array([k.turn for k in keys]), np.array([k.place for k in keys])
    x = np.asarray(frames, dtype=np.float64)
    return tuple(np.stack([np.interp(x, at, v[:, i]) for i in range(3)], axis=-1) for v in (turns, places))  # type: ignore[return-value]


def track(prop: Prop, clip: Clip) -> tuple[Array, Array]:
    """Where a prop is over a clip: rotations ``(frames, 4)`` and places of its origin ``(frames, 3)``.

    Between keys it moves evenly, in degrees (so a crank may go round and round); outside them it stays. While a joint
    holds it, it keeps the place in that joint's axes that it had when it was taken; let go, it stays where it is.
    Raises RecipeError where a hold names a joint or event that the clip lacks.
    """
    n = clip.frames
    if not prop.keys:
        q = np.tile(turn_of(prop.turn), (n, 1))
        p = np.tile(np.array(prop.place), (n, 1))
    else:
        turns, p = between_keys(prop.keys, np.arange(n))
        q = turn_of(turns)
    for hold in prop.holds:
        if hold.joint not in clip.skeleton.index:
            raise RecipeError(
                f"{prop.name!r} is attached to {hold.joint!r}, which this rig does not have", advice="Choose a joint."
            )
        a = min(max(moment(hold.begin, clip, prop.name), 0), n - 1)
        b = n - 1 if hold.end == "" else min(max(moment(hold.end, clip, prop.name), a), n - 1)
        j = clip.skeleton.index[hold.joint]
        jq, jp = clip.model[0][:, j], clip.model[1][:, j]
        own_q = quat.multiply(quat.conjugate(jq[a]), q[a])
        own_p = quat.rotate(quat.conjugate(jq[a]), p[a] - jp[a])
        q[a : b + 1] = quat.multiply(jq[a : b + 1], own_q)
        p[a : b + 1] = jp[a : b + 1] + quat.rotate(jq[a : b + 1], own_p)
        q[b:], p[b:] = q[b].copy(), p[b].copy()
    return q, p


def moment(said: int | str, clip: Clip, who: str = "") -> int:
    """The frame of a moment given as a frame or as an event's name. Raises RecipeError for an unknown event."""
    if isinstance(said, int):
        return said
    found = next((e for e in clip.events if e.name == said), None)
    if found is None:
        known = ", ".join(e.name for e in clip.events) or "none"
        raise RecipeError(
            f"{who!r} starts at the event {said!r}, which the clip does not have", advice=f"Events: {known}."
        )
    return round(found.frame)


def grip_track(prop: Prop, grip: str, clip: Clip) -> tuple[Array, Array]:
    """Rotations ``(frames, 4)`` and places ``(frames, 3)`` of a grip over a clip. Raises RecipeError for an unknown grip."""
    g = prop.grip(grip)
    if g is None:
        known = ", ".join(x.name for x in prop.grips) or "none"
        raise RecipeError(f"{prop.name!r} has no grip {grip!r}", advice=f"Its grips: {known}.")
    q, p = track(prop, clip)
    return quat.multiply(q, turn_of(g.turn)), p + quat.rotate(q, np.array(g.place))

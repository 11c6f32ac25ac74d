"""Contacts: spans of a clip in which a part of the body touches the ground, a prop or another part."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from reflexa.motion.arrays import Array

Bools = NDArray[np.bool_]
Part = Literal["left foot", "right foot", "left hand", "right hand", "left knee", "right knee", "seat"]
PARTS: tuple[Part, ...] = ("left foot", "right foot", "left hand", "right hand", "left knee", "right knee", "seat")
Frame = Annotated[int, Meta(ge=0, le=10_000_000)]


class Contact(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A span, both ends included, in which a part of the body touches something.

    other: what it touches: another part of the body ("right hand", "pelvis"); left out: the ground, or the prop that lies below
    or beside it. ball_down: from which frame the ball of a foot is on the ground (before it the foot stands on its heel);
    heel_up: until which frame the heel is (after it the foot stands on its ball); ball_up: until which frame the ball is (after
    it the foot stands on the tip of its toes); left out: all through. place: where the ball (the wrist of a hand) is held, x,
    y, z in metres; left out: as the step says. on: off, it is no contact.
    """

    limb: Part
    first: Frame
    last: Frame
    ball_down: Frame | None = None
    heel_up: Annotated[int, Meta(ge=-1, le=10_000_000)] | None = None
    ball_up: Frame | None = None
    place: tuple[float, float, float] | None = None
    on: bool = True
    other: str = ""

    def __post_init__(self) -> None:
        if self.last < self.first:
            raise ValueError(f"a contact of the {self.limb} ends at {self.last}, before it begins at {self.first}")

    @property
    def ball_from(self) -> int:
        return self.first if self.ball_down is None else min(max(self.ball_down, self.first), self.last + 1)

    @property
    def ball_to(self) -> int:
        return self.last if self.ball_up is None else max(min(self.ball_up, self.last), self.ball_from)

    @property
    def heel_to(self) -> int:
        return self.last if self.heel_up is None else max(min(self.heel_up, self.last), self.first - 1)

    @property
    def name(self) -> str:
        """What touches, and what it touches, where that is no ground."""
        return f"{self.limb} on {self.other}" if self.other else self.limb


def of_points(limb: Part, heel: Bools, ball: Bools, stands: Bools) -> list[Contact]:
    """Contacts of a foot whose heel, ball and anything stand at some frames ``(frames,)``."""
    edges = np.diff(np.concatenate([[0], stands.astype(np.int8), [0]]))
    out = []
    for a, end in zip(np.flatnonzero(edges == 1).tolist(), np.flatnonzero(edges == -1).tolist(), strict=True):
        b, own_ball, own_heel = end - 1, ball[a:end], heel[a:end]
        down = a + int(np.argmax(own_ball)) if own_ball.any() else b + 1
        up = b - int(np.argmax(own_heel[::-1])) if own_heel.any() else a - 1
        ball_up = b - int(np.argmax(own_ball[::-1])) if own_ball.any() else b
        phases = None if down == a else down, None if up == b else max(up, -1), None if ball_up == b else ball_up
        out.append(Contact(limb, a, b, *phases))
    return out


def when(contacts: Iterable[Contact], frames: int) -> tuple[Bools, Bools, Bools]:
    """When heel, ball and anything of a foot stand ``(frames,)`` each, by its contacts; of other parts only the last says
    anything."""
    heel, ball, any_ = (np.zeros(frames, dtype=bool) for _ in range(3))
    for c in contacts:
        if c.on:
            heel[c.first : c.heel_to + 1] = True
            ball[c.ball_from : c.ball_to + 1] = True
            any_[c.first : c.last + 1] = True
    return heel, ball, any_


def at_times(contacts: tuple[Contact, ...], frames: int, times: Array) -> tuple[Contact, ...]:
    """Contacts where a map of time has them: frame i of the result is what was at ``times[i]`` ``(n,)``. What is held at a place
    stays so; backwards, heel and ball come and go the other way round."""
    at = np.clip(np.round(times), 0, frames - 1).astype(np.intp)
    out: list[Contact] = []
    for c in contacts:
        heel, ball, any_ = (m[at] for m in when([msgspec.structs.replace(c, on=True)], frames))
        for new in of_points(c.limb, heel, ball, any_):
            if not c.limb.endswith("foot"):
                new = Contact(c.limb, new.first, new.last)
            out.append(msgspec.structs.replace(new, place=c.place, on=c.on, other=c.other))
    return in_order(out)


def in_order(contacts: Iterable[Contact]) -> tuple[Contact, ...]:
    """Contacts by time; of two hands that touch each other it is the left one that touches."""
    contacts = [
        msgspec.structs.replace(c, limb="left hand", other=c.limb) if c.other == "left hand" else c for c in contacts
    ]
    return tuple(sorted(contacts, key=lambda c: (c.first, c.limb, c.other, c.last)))


def told(contacts: tuple[Contact, ...] | None, limb: str, frames: int) -> tuple[Bools, Bools, Bools] | None:
    """When heel, ball and anything of a part are said to stand on the ground or a prop ``(frames,)`` each; None where nobody has
    said which contacts there are."""
    own = of_part(contacts, limb)
    return None if own is None else when(own, frames)


def of_part(contacts: tuple[Contact, ...] | None, limb: str, other: str = "") -> tuple[Contact, ...] | None:
    """Those of one part on one thing; None where nobody has said which contacts there are."""
    return None if contacts is None else tuple(c for c in contacts if c.limb == limb and c.other == other)


def moved(c: Contact, by: int) -> Contact:
    """A contact so many frames later."""
    later = {k: None if v is None else v + by for k, v in (("ball_down", c.ball_down), ("ball_up", c.ball_up))}
    up = None if c.heel_up is None else max(c.heel_up + by, -1)
    return msgspec.structs.replace(c, first=c.first + by, last=c.last + by, heel_up=up, **later)


def all_moved(contacts: Iterable[Contact], by: int) -> tuple[Contact, ...]:
    """Contacts so many frames later; those that begin before the clip then begin with it, those that are over are left out."""
    there = [moved(c, by) for c in contacts if c.last + by >= 0]
    return tuple(c if c.first >= 0 else _from_zero(c) for c in there)


def _from_zero(c: Contact) -> Contact:
    down, up = (None if v is None else max(v, 0) for v in (c.ball_down, c.ball_up))
    return msgspec.structs.replace(c, first=0, ball_down=down, ball_up=up)


def joined(a: Contact, b: Contact) -> Contact:
    """Two contacts of one part as one, the second going on from the first."""
    last = max(a.last, b.last)
    end = b if b.last >= a.last else a
    ball_down = a.ball_from if a.ball_from <= a.last else b.ball_from
    heel_up = end.heel_to if end.heel_to >= end.first else a.heel_to
    return msgspec.structs.replace(
        a, last=last, ball_down=None if ball_down == a.first else ball_down, heel_up=None if heel_up == last else heel_up,
        ball_up=end.ball_up, place=a.place or b.place,
    )  # fmt: skip


def as_one(contacts: Iterable[Contact]) -> tuple[Contact, ...]:
    """Contacts of which those of one part that overlap, or follow on each other, are one."""
    out: dict[tuple[str, bool], list[Contact]] = {}
    for c in sorted(contacts, key=lambda c: c.first):
        own = out.setdefault((c.name, c.on), [])
        if own and c.first <= own[-1].last + 1:
            own[-1] = joined(own[-1], c)
        else:
            own.append(c)
    return in_order(c for own in out.values() for c in own)

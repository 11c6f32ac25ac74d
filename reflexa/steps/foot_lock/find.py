"""Which contacts there are: found by height and speed, or written down; and the edits that hands make."""

from __future__ import annotations

from typing import Literal

import msgspec

from reflexa.contacts.find import on_props
from reflexa.motion import contact
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact, of_points
from reflexa.motion.cuts import pieces
from reflexa.rig import Rig
from reflexa.rig.foot_rest import as_seen
from reflexa.stage import Stage
from reflexa.stage.footing import Thresholds, footing
from reflexa.steps.foot_lock.settings import LIMBS, FootLockSettings
from reflexa.steps.model import Context

Contacts = tuple[Contact, ...]


def contacts_of(clip: Clip, rig: Rig, settings: FootLockSettings, context: Context) -> Contacts:
    """The contacts that the step holds in this clip, in order of time; those that lie outside the clip are left out, and those
    that reach beyond its end are cut."""
    rig = as_seen(clip, rig)
    if settings.find:
        there, on = _looked_at(clip, rig, settings, context)
        return found(there, on, settings, context.stage, here=there is clip)
    inside = (
        msgspec.structs.replace(p, last=min(p.last, clip.frames - 1))
        for p in settings.contacts
        if p.first < clip.frames
    )
    return tuple(sorted(inside, key=lambda p: (p.first, p.limb)))


def _looked_at(clip: Clip, rig: Rig, settings: FootLockSettings, context: Context) -> tuple[Clip, Rig]:
    """The clip in which contacts are looked for: the source, where it is as long and has feet; else this one."""
    if settings.look_at == "the source" and context.earlier:
        point = context.earlier[0]
        if point.clip.frames == clip.frames and any(point.rig.joint(f"{s} foot") >= 0 for s in ("left", "right")):
            return point.clip, as_seen(point.clip, point.rig)
    return clip, rig


def found(clip: Clip, rig: Rig, settings: FootLockSettings, stage: Stage, here: bool = True) -> Contacts:
    """The contacts of a clip by height and speed, with hysteresis.

    here: the clip is the one to be held. A foot that goes back under a figure that stays in place is none then: held, it
    would be torn off. In a source that has since been given its travel it is one.
    """
    if not stage.props and len(apart := pieces(clip)) > 1:
        each = ((a, found(clip.cut(a, b - 1), rig, settings, stage, here)) for a, b in apart)
        return tuple(contact.moved(p, a) for a, own in each for p in own)
    by = Thresholds(settings.low / 100, settings.slow / 100, settings.slack, settings.shortest)
    floor: Literal["stage", "feet"] = "stage" if settings.surface == "surface below" else "feet"
    out: list[Contact] = []
    for side, f in footing(clip, rig, stage, by, floor, on_spot=not here).items():
        out += of_points(f"{side} foot", f.heel_stands, f.ball_stands, f.stands)  # type: ignore[arg-type]
    if settings.hands:
        told = [c for c in clip.contacts or () if c.limb in LIMBS[2:] and not c.other]
        out += on_props(clip, rig, stage, by) if clip.contacts is None else told
    return tuple(sorted(out, key=lambda p: (p.first, p.limb)))


# Edits: each gives the next contacts ------------------------------------------------------------------------------


def _put(contacts: Contacts, *new: Contact) -> Contacts:
    return tuple(sorted((*contacts, *new), key=lambda p: (p.first, p.limb)))


def _others(contacts: Contacts, index: int) -> Contacts:
    return (*contacts[:index], *contacts[index + 1 :])


def with_ends(contacts: Contacts, index: int, first: int, last: int, frames: int) -> Contacts:
    """A contact with other ends, inside the clip and clear of its neighbours on the same limb; its heel and ball keep their
    frames."""
    p = contacts[index]
    same = [o for o in _others(contacts, index) if o.name == p.name]
    low = max((o.last + 1 for o in same if o.first <= p.first), default=0)
    high = min((o.first - 1 for o in same if o.first > p.first), default=frames - 1)
    first = min(max(first, low), high)
    last = min(max(last, first), high)
    return _put(_others(contacts, index), msgspec.structs.replace(p, first=first, last=last))


def moved(contacts: Contacts, index: int, by: int, frames: int) -> Contacts:
    """A contact moved as a whole, heel and ball along, as far as its neighbours and the clip's ends let it."""
    p = contacts[index]
    same = [o for o in _others(contacts, index) if o.name == p.name]
    low = max((o.last + 1 for o in same if o.last < p.first), default=0)
    high = min((o.first - 1 for o in same if o.first > p.last), default=frames - 1)
    by = max(low - p.first, min(by, high - p.last))
    return _put(_others(contacts, index), contact.moved(p, by))


def with_roll(contacts: Contacts, index: int, ball_down: int | None = None, heel_up: int | None = None) -> Contacts:
    """A foot's contact with other frames at which its ball comes down or its heel lifts."""
    p = contacts[index]
    if ball_down is not None:
        at = min(max(ball_down, p.first), p.last)
        p = msgspec.structs.replace(p, ball_down=None if at == p.first else at)
    if heel_up is not None:
        at = min(max(heel_up, p.first), p.last)
        p = msgspec.structs.replace(p, heel_up=None if at == p.last else at)
    return (*contacts[:index], p, *contacts[index + 1 :])


def split(contacts: Contacts, index: int, frame: int) -> Contacts:
    """A contact cut in two before ``frame``, with a frame left between, so that the foot may be set anew."""
    p = contacts[index]
    if not p.first < frame < p.last:
        return contacts
    a = msgspec.structs.replace(p, last=frame - 1)
    b = msgspec.structs.replace(p, first=frame + 1, place=None)
    return _put(_others(contacts, index), a, b)


def joined(contacts: Contacts, index: int) -> Contacts:
    """A contact joined with the next of the same limb."""
    p = contacts[index]
    after = next((i for i, o in enumerate(contacts) if o.name == p.name and o.first > p.last), -1)
    if after < 0:
        return contacts
    both = contact.joined(p, contacts[after])
    return _put(tuple(o for i, o in enumerate(contacts) if i not in (index, after)), both)


def added(contacts: Contacts, name: str, frame: int, frames: int, long: int = 12) -> Contacts:
    """A new contact of a part ("left foot", "left hand on pelvis") about a frame, as long as there is room; nothing where one is
    already."""
    own = [p for p in contacts if p.name == name]
    if any(p.first <= frame <= p.last for p in own):
        return contacts
    low = max((p.last + 1 for p in own if p.last < frame), default=0)
    high = min((p.first - 1 for p in own if p.first > frame), default=frames - 1)
    first = max(low, frame - long // 2)
    limb, _, other = name.partition(" on ")
    return _put(contacts, Contact(limb, first, max(first, min(high, first + long)), other=other))  # type: ignore[arg-type]

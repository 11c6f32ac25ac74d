"""Findings put together: of a kind on a limb, the worst first, so that one fact is one row."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from reflexa.checks.model import Finding, amount
from reflexa.checks.registry import CHECKS, check_of
from reflexa.rig import Rig
from reflexa.take.model import Accepted

_LIMBS = {
    "arm": ("clavicle", "upper arm", "forearm", "hand", "thumb", "index", "middle", "ring", "little"),
    "leg": ("thigh", "shin", "foot", "toes"),
}


@lru_cache(maxsize=4096)
def limb_of_joint(joint: str, rig: Rig) -> str:
    """ "left arm", "right leg", "head", "body": where a joint belongs; its own name where it is no part of the body."""
    part = rig.part_of(joint) or rig.part_of(rig.helpers[joint].follows if joint in rig.helpers else "")
    side, _, rest = part.partition(" ")
    if side in ("left", "right"):
        return next((f"{side} {limb}" for limb, parts in _LIMBS.items() if rest.startswith(parts)), part)
    if part in ("head", "neck", "jaw"):
        return "head"
    return "body" if part or not joint else joint


def other_side(limb: str) -> str:
    """The limb of the other side."""
    side, _, rest = limb.partition(" ")
    return {"left": f"right {rest}", "right": f"left {rest}"}.get(side, limb)


@dataclass(frozen=True)
class Group:
    """Findings of one kind on one limb, the worst first. seconds: the time that they take together, frames counted once.
    accepted: the reason why they are accepted; empty if they are not."""

    kind: str
    title: str
    limb: str
    findings: tuple[Finding, ...]
    seconds: float
    accepted: str = ""

    @property
    def worst(self) -> Finding:
        return self.findings[0]

    @property
    def title_of(self) -> str:
        """Limb, kind, and how often where it is more than once: what tells rows apart stands first."""
        many = f" ×{len(self.findings)}" if len(self.findings) > 1 else ""
        return f"{self.limb[:1].upper()}{self.limb[1:]}: {self.title.lower()}{many}"

    @property
    def text(self) -> str:
        """One line: kind, limb, how often, how much at worst."""
        many = f", {len(self.findings)} times" if len(self.findings) > 1 else ""
        f = self.worst
        size = f", up to {amount(f.size, f.unit)}" if f.threshold > 0 and len(self.findings) > 1 else ""
        return f"{self.title}, {self.limb}{many}{size}"


def accepted(f: Finding, by: Iterable[Accepted]) -> str:
    """The reason why a finding is accepted, empty if it is not: one of its kind and joint has been accepted about
    its frames."""
    for a in by:
        if a.kind == f.kind and a.joint == f.joint and a.first <= f.frames[1] and f.frames[0] <= a.last:
            return a.reason or "accepted"
    return ""


def grouped(found: Iterable[Finding], rig: Rig, rate: float, by: Iterable[Accepted] = ()) -> tuple[Group, ...]:
    """Groups, the worst first; those that are accepted stand last."""
    by = tuple(by)
    apart: dict[tuple[bool, str, str], list[Finding]] = {}
    for f in found:
        apart.setdefault((bool(accepted(f, by)), f.kind, limb_of_joint(f.joint, rig)), []).append(f)
    out = []
    for (put_up, kind, limb), members in apart.items():
        members.sort(key=lambda f: -f.weight)
        frames = {i for f in members for i in range(f.frames[0], f.frames[1] + 1)}
        reason = accepted(members[0], by) if put_up else ""
        out.append(Group(kind, _title(kind), limb, tuple(members), len(frames) / rate, reason))
    return tuple(sorted(out, key=lambda g: (bool(g.accepted), -g.worst.weight)))


def _title(kind: str) -> str:
    check = CHECKS.get(kind) or check_of(kind)
    return check.title_of(kind) if check is not None else kind.replace("-", " ").capitalize()


def counted(found: Iterable[Finding], by: Iterable[Accepted] = ()) -> list[Finding]:
    """Those that are not accepted."""
    by = tuple(by)
    return [f for f in found if not accepted(f, by)]

"""What is wrong with a rig, before a step is run on it: each with the joints, the size and what to do."""

from __future__ import annotations

from dataclasses import dataclass

from reflexa.rig.rig import LIMBS, Rig
from reflexa.rig.shape import CORE

# Further from its reflection than this is told: share of the figure's height, and degrees of the bone's direction.
FAR, FAR_DEGREES = 0.01, 5.0


@dataclass(frozen=True)
class Problem:
    """kind: "unpaired", "asymmetric", "missing part" or "unsure". mm, degrees: the residual, where it has one."""

    kind: str
    joints: tuple[str, ...]
    text: str
    mm: float = 0.0
    degrees: float = 0.0


def problems(rig: Rig, far: float = FAR) -> tuple[Problem, ...]:
    """Everything about a rig that may make a mirror or a retarget look wrong, the worst kinds first. far: how asymmetric joints
    are that are told, as a share of the figure's height."""
    out = [
        Problem("unpaired", (name,), f"{name} has no partner: mirroring leaves it on its own side. Pair it, or "
                                     "mark it as a centre joint.")
        for name in rig.unpaired
    ]  # fmt: skip
    if rig.body_map:
        limbs = [
            {p for p in CORE if set(p.split()) & words}
            for words in ({"thigh", "shin", "foot"}, {"arm", "forearm", "hand"})
        ]
        # A creature without arms lacks none; a figure with one arm lacks the other.
        wanted = {"pelvis"}.union(*(l for l in limbs if l & set(rig.body_map)))
        gone = [part for part in CORE if part in wanted and part not in rig.body_map and not _ends_above(rig, part)]
        out += [
            Problem("missing part", (), f"No joint is assigned as {part}: assign one to retarget it.") for part in gone
        ]
    out += [
        Problem(
            "asymmetric", (p.left, p.right),
            f"{p.left} and {p.right} differ by {p.residual_mm:.1f} mm and {p.residual_deg:.1f}° from mirror "
            "images in rest pose.",
            p.residual_mm, p.residual_deg,
        )
        for p in sorted(rig.pairs, key=lambda p: -p.residual_mm)
        if p.residual_mm > 1000 * far * rig.height or p.residual_deg > FAR_DEGREES
    ]  # fmt: skip
    out += [
        Problem("unsure", rig.body_map[part], f"{rig.body_map[part][0]} as {part} is a guess ({found.by}): check it.")
        for part, found in rig.found.items() if found.sure < 0.5 and part in rig.body_map
    ]  # fmt: skip
    return tuple(out)


def _ends_above(rig: Rig, part: str) -> bool:
    """True if a hand or foot is not a joint, but the end of the bone above it."""
    side, _, end = part.partition(" ")
    above = rig.joint(f"{side} {LIMBS[end][1]}") if end in LIMBS else -1
    return above >= 0 and above not in rig.skeleton.parents

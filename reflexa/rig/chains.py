"""What hangs on a figure beside the human parts: free chains (tails, wings, long necks, coats) and twist joints."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from reflexa.motion.skeleton import Skeleton
from reflexa.names import Names
from reflexa.rig import bodymap, sides
from reflexa.rig.bodymap import BodyMap

_TWIST_WORDS = {"twist", "roll"}
_TWISTING = ("upper arm", "forearm", "thigh", "shin")


def find_twists(skeleton: Skeleton, body_map: BodyMap) -> dict[str, str]:
    """Twist joints → the limb joint whose twist they share: named so, and on (or in) a limb segment."""
    limbs = {n: part for part, names in body_map.items() for n in names if part.split(" ", 1)[-1] in _TWISTING}
    known = {n for names in body_map.values() for n in names}
    out: dict[str, str] = {}
    for j, name in enumerate(skeleton.names):
        if name in known or not _TWIST_WORDS & set(sides.words(name)):
            continue
        parent = int(skeleton.parents[j])
        while parent >= 0 and skeleton.names[parent] in out:
            parent = int(skeleton.parents[parent])
        if parent >= 0 and skeleton.names[parent] in limbs:
            out[name] = skeleton.names[parent]
    return out


def find(
    skeleton: Skeleton, body_map: BodyMap, taken: Collection[str], side_of: list[str]
) -> dict[str, tuple[str, ...]]:
    """Free chains: name → joints from the body outwards, for every joint that nothing else explains.

    taken: helper and twist joints. A chain follows the longest line; what branches off is a chain of its own.
    """
    known = {n for names in body_map.values() for n in names}
    carries = [n in known for n in skeleton.names]
    for j in reversed(range(len(skeleton))):
        if carries[j] and skeleton.parents[j] >= 0:
            carries[int(skeleton.parents[j])] = True
    # Outgrowths: joints with no body part in or below them that are no marks or grips, nor carry nothing but those.
    grows = [n not in taken and not set(sides.words(n)) & bodymap.HELPER_WORDS for n in skeleton.names]
    for j in reversed(range(len(skeleton))):
        own = skeleton.children[j]
        grows[j] = grows[j] and (not own or any(grows[c] or carries[c] for c in own))
    free = [j for j in range(len(skeleton)) if grows[j] and not carries[j]]
    if not body_map:
        # Nothing human in it: chains leave from the joint on which everything hangs.
        free = [j for j in free if skeleton.parents[j] >= 0]
    inside = set(free)
    longest = dict.fromkeys(range(len(skeleton)), 1)
    for j in reversed(range(len(skeleton))):
        p = int(skeleton.parents[j])
        if p >= 0 and j in inside:
            longest[p] = max(longest[p], longest[j] + 1)
    out: dict[str, tuple[str, ...]] = {}
    done: set[int] = set()
    names = Names()
    for start in free:
        if start in done:
            continue
        line = [start]
        while below := [c for c in skeleton.children[line[-1]] if c in inside]:
            line.append(max(below, key=lambda c: longest[c]))
        done.update(line)
        name = _name(skeleton.names[start], side_of[start])
        out[names.give(name)] = tuple(skeleton.names[j] for j in line)
    return out


def _name(joint: str, side: str) -> str:
    said = [w for w in sides.words(joint) if w not in sides.SIDE_WORDS and len(w) > 1]
    text = " ".join(said) or "chain"
    return f"{side} {text}" if side else text


def matching(a: Mapping[str, tuple[str, ...]], b: Mapping[str, tuple[str, ...]]) -> dict[str, str]:
    """Chains of ``a`` → the chain of ``b`` that is meant by the same name."""
    return {name: name for name in a if name in b}

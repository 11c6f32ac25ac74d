"""Which joint plays which body part, from names and hierarchy."""

from __future__ import annotations

from dataclasses import dataclass

from reflexa.motion.skeleton import Skeleton
from reflexa.rig import sides

BodyMap = dict[str, tuple[str, ...]]


@dataclass(frozen=True)
class Found:
    """How an entry was found, and how sure that is: 0 a guess, 1 told by a person."""

    by: str
    sure: float


TOLD = Found("told", 1.0)

FINGERS = ("thumb", "index finger", "middle finger", "ring finger", "little finger")
_LIMBS = ("clavicle", "upper arm", "forearm", "hand", *FINGERS, "thigh", "shin", "foot", "toes")
PARTS: tuple[str, ...] = (
    "root", "pelvis", "spine", "neck", "head",
    *(f"{side} {limb}" for side in ("left", "right") for limb in _LIMBS),
)  # fmt: skip
MANY = {"spine", "neck", *(f"{side} {f}" for side in ("left", "right") for f in FINGERS)}

PRESETS: dict[str, tuple[str, ...]] = {
    "upper body": ("spine", "neck", "head", "left arm", "right arm"),
    "lower body": ("pelvis", "left leg", "right leg"),
    **{
        f"{side} arm": tuple(f"{side} {p}" for p in ("clavicle", "upper arm", "forearm", "hand", *FINGERS))
        for side in ("left", "right")
    },
    **{f"{side} leg": tuple(f"{side} {p}" for p in ("thigh", "shin", "foot", "toes")) for side in ("left", "right")},
    **{f"{side} fingers": tuple(f"{side} {p}" for p in FINGERS) for side in ("left", "right")},
}

# Words as joint names use them (common practice, no source). Run-together forms are matched whole.
_CENTRE_WORDS = {
    "pelvis": {"pelvis", "hips", "hip"},
    "spine": {
        "spine",
        "chest",
        "back",
        "torso",
        "abdomen",
        "ab",
        "belly",
        "thorax",
        "ribs",
        "waist",
        "lumbar",
        "breast",
    },
    "neck": {"neck", "cervical"},
    "head": {"head", "skull"},
}
_LIMB_WORDS: dict[str, tuple[set[str], ...]] = {
    "clavicle": ({"clavicle"}, {"collar"}, {"collarbone"}, {"scapula"}),
    "upper arm": ({"upper", "arm"}, {"up", "arm"}, {"upperarm"}, {"uparm"}, {"humerus"}),
    "forearm": ({"forearm"}, {"fore", "arm"}, {"lower", "arm"}, {"low", "arm"}, {"lowerarm"}, {"elbow"}),
    "hand": ({"hand"}, {"wrist"}, {"palm"}),
    "thumb": ({"thumb"},),
    "index finger": ({"index"},),
    "middle finger": ({"middle"}, {"mid"}),
    "ring finger": ({"ring"},),
    "little finger": ({"little"}, {"pinky"}, {"pinkie"}, {"small", "finger"}),
    "thigh": ({"thigh"}, {"up", "leg"}, {"upper", "leg"}, {"upleg"}, {"upperleg"}, {"femur"}),
    "shin": ({"shin"}, {"calf"}, {"knee"}, {"lower", "leg"}, {"low", "leg"}, {"lowerleg"}, {"tibia"}),
    "foot": ({"foot"}, {"ankle"}),
    "toes": ({"toe"}, {"toes"}, {"ball"}, {"toebase"}),
}
# Names that mean one thing or another, by what hangs below them.
_AMBIGUOUS = {
    "shoulder": ("upper arm", "clavicle"),
    "arm": ("upper arm", "forearm"),
    "leg": ("shin", "thigh"),
    "hip": ("thigh", ""),
}
# Names that say: this is no part of a human body, whatever its shape.
CREATURE_WORDS = {"wing", "tail", "feather", "fin", "flipper", "tentacle", "antenna", "ear", "trunk", "mane"}
# Limb part → the parts of its side that may carry it.
_ABOVE = {
    "forearm": ("upper arm",), "hand": ("forearm", "upper arm"), "shin": ("thigh",), "foot": ("shin", "thigh"), "toes": ("foot",),
    **dict.fromkeys(FINGERS, ("hand",)),
}  # fmt: skip
HELPER_WORDS = {
    "ik",
    "target",
    "goal",
    "grip",
    "socket",
    "attach",
    "attachment",
    "prop",
    "weapon",
    "aim",
    "pole",
    "twist",
    "roll",
    "mark",
}


def limb_of(name: str) -> str:
    """The limb part that the words of a name tell, or an ambiguous word, or nothing."""
    found = set(sides.words(name)) - {"left", "right"}
    if found & HELPER_WORDS:
        return ""
    fingers = [p for p in FINGERS if any(w <= found for w in _LIMB_WORDS[p])]
    if fingers:
        return fingers[0]
    for part, choices in _LIMB_WORDS.items():
        if part not in FINGERS and any(w <= found for w in choices):
            # "hand … base", "finger base": the knuckle row is no hand of its own
            return "" if part == "hand" and "finger" in found else part
    low = sides.bare(name).lower()
    for part, choices in _LIMB_WORDS.items():
        if any(len(w) == 1 and len(next(iter(w))) > 3 and next(iter(w)) in low for w in choices):
            return part
    return next((w for w in _AMBIGUOUS if w in found), "")


def _sorted_out(limbs: dict[int, str], skeleton: Skeleton) -> dict[int, str]:
    """Ambiguous words decided: the second meaning where a joint below already has the first."""
    out = dict(limbs)
    for joint, part in sorted(limbs.items(), reverse=True):
        if part in _AMBIGUOUS:
            first, second = _AMBIGUOUS[part]
            below = {out[j] for j in skeleton.below(joint)[1:] if j in out}
            if part == "leg":  # thigh only where a shin is below or nothing above is one
                above = skeleton.above(joint)
                thigh_above = any(limbs.get(a) in ("thigh", "hip") for a in above)
                out[joint] = "shin" if thigh_above or ("shin" not in below and "foot" in below) else "thigh"
            elif part == "arm":
                out[joint] = second if any(limbs.get(a) == first for a in skeleton.above(joint)) else first
            else:
                out[joint] = second if first in below else first
    return out


def find(skeleton: Skeleton, side_of: list[str]) -> tuple[BodyMap, dict[str, Found]]:
    """Body part → joint names (several for spine, neck and fingers), and how each was found, from names and hierarchy.

    side_of: "left", "right" or "" per joint, as the pairs found it.
    """
    names = skeleton.names
    found: dict[str, list[int]] = {}
    limbs = {j: part for j, n in enumerate(names) if side_of[j] and (part := limb_of(n))}
    unclear = {j for j, part in limbs.items() if part in _AMBIGUOUS}
    for joint, part in sorted(_sorted_out(limbs, skeleton).items()):
        if part and part not in _AMBIGUOUS:
            found.setdefault(f"{side_of[joint]} {part}", []).append(joint)
    for joint, name in enumerate(names):
        if side_of[joint]:
            continue
        said = set(sides.words(name))
        if said & HELPER_WORDS:
            continue
        for part, keys in _CENTRE_WORDS.items():
            if said & keys or any(k in sides.bare(name).lower() for k in keys if len(k) > 3):
                found.setdefault(part, []).append(joint)
                break
    thighs = [found[f"{s} thigh"][0] for s in ("left", "right") if f"{s} thigh" in found]
    named_pelvis = found.get("pelvis", [])[:1]
    _settle_pelvis(found, skeleton, thighs)
    pelvis = found.get("pelvis", [])
    if pelvis:
        top = skeleton.above(pelvis[0])
        if top:
            found["root"] = [top[-1]]
        # The lower back, where one hangs between pelvis and legs, is spine only above the pelvis.
        inside = set(skeleton.below(pelvis[0]))
        found["spine"] = [j for j in found.get("spine", []) if j in inside and j != pelvis[0]]
    out: BodyMap = {}
    how: dict[str, Found] = {}
    for part in PARTS:
        joints = _carried_first(skeleton, found, part)
        if part in MANY and joints:
            joints = _one_chain(skeleton, joints)
        out_names = tuple(names[j] for j in (joints if part in MANY else joints[:1]))
        if out_names:
            out[part] = out_names
            if part == "root" or (part == "pelvis" and joints[:1] != named_pelvis):
                how[part] = Found("hierarchy", 0.9)
            elif joints[0] in unclear:
                how[part] = Found("names and hierarchy", 0.85)
            else:
                how[part] = Found("names", 0.95)
    for part, above in _ABOVE.items():
        # A limb that hangs on none of the parts that should carry it has a name that misleads.
        for side in ("left", "right"):
            whole, carriers = f"{side} {part}", [f"{side} {a}" for a in above if f"{side} {a}" in out]
            if whole in out and carriers:
                line = {names[j] for j in skeleton.above(skeleton.index[out[whole][0]])}
                if not any(out[c][0] in line for c in carriers):
                    how[whole] = Found(how[whole].by, 0.4)
    return out, how


def _carried_first(skeleton: Skeleton, found: dict[str, list[int]], part: str) -> list[int]:
    """The joints that claim a part; where several do, first those that hang on what carries it (a hand on a forearm,
    before a mark for the hand that hangs on the root)."""
    joints = found.get(part, [])
    side, _, limb = part.partition(" ")
    carriers = {j for a in _ABOVE.get(limb, ()) for j in found.get(f"{side} {a}", [])}
    if len(joints) < 2 or not carriers:
        return joints
    held = [j for j in joints if carriers & set(skeleton.above(j))]
    return held or joints


def _settle_pelvis(found: dict[str, list[int]], skeleton: Skeleton, thighs: list[int]) -> None:
    """The pelvis carries both thighs and the spine, whatever it is called."""
    if len(thighs) == 2:
        above = [skeleton.above(t) for t in thighs]
        shared = [j for j in above[0] if j in above[1]]
        if shared:
            found["pelvis"] = [shared[0]]
            found["spine"] = [j for j in found.get("spine", []) if j != shared[0]]


def _one_chain(skeleton: Skeleton, joints: list[int]) -> list[int]:
    """The joints that lie on one line from the first: branches (a jaw on a neck) are left out."""
    kept: list[int] = []
    for j in joints:
        if not kept or kept[-1] in skeleton.above(j):
            kept.append(j)
    return kept


def joints_of(body_map: BodyMap, part: str) -> list[str]:
    """Joint names of a part or preset; raises KeyError for a word that is neither."""
    if part in PRESETS:
        return [n for p in PRESETS[part] for n in joints_of(body_map, p)]
    if part not in PARTS:
        raise KeyError(part)
    return list(body_map.get(part, ()))

"""Blend: another clip, or another take's result, over chosen joints; lined up in time, replacing or added."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from reflexa.errors import RecipeError
from reflexa.motion import cycle, kinematics, quat, stances, travel
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.mixing import mixed_tracks
from reflexa.motion.resample import at_frames
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES
from reflexa.stage.footing import standing_spans
from reflexa.steps.hands_kept import Mixed, hands_between
from reflexa.steps.model import Context, Given, Mask, Outcome, Settings, StepKind
from reflexa.steps.root_motion import travel_of

Clips = Mapping[str, tuple[Clip, Rig]]
LineUp = Literal["start", "stretch", "cycle", "contacts"]


class BlendSettings(Settings, frozen=True):
    clip: Annotated[
        str,
        Meta(
            title="Clip", extra={"file": "clip"},
            description="The clip to blend in: a clip of a file, or the result of another take.",
        ),
    ] = ""  # fmt: skip
    mode: Annotated[
        Literal["replace", "add"],
        Meta(title="How", description="replace: use the other clip's motion. add: add what the other clip "
                                      "changes on top of this one; of an additive clip, all of it."),
    ] = "replace"  # fmt: skip
    against: Annotated[
        Literal["first frame", "rest pose", "frame"],
        Meta(
            title="Changes against", description="For add: the pose that the other clip's changes are measured from.",
            extra={"when": {"mode": "add"}},
        ),
    ] = "first frame"  # fmt: skip
    frame: Annotated[
        int,
        Meta(
            title="Frame", ge=0, le=1_000_000, description="For add against a frame: the number of that frame.",
            extra={"when": {"mode": "add", "against": "frame"}},
        ),
    ] = 0  # fmt: skip
    line_up: Annotated[
        LineUp,
        Meta(
            title="Line up by",
            description="start: both clips begin together. stretch: the other clip is stretched to the length "
                        "of this one. cycle: strikes of the same foot are matched, cycle by cycle. contacts: "
                        "the beginning and end of every foot contact are matched.",
        ),
    ] = "start"  # fmt: skip
    shift: Annotated[
        int,
        Meta(
            title="Slide", ge=-100_000, le=100_000, extra={"unit": "frames"},
            description="How many frames later the other clip begins.",
        ),
    ] = 0  # fmt: skip
    repeat: Annotated[
        bool, Meta(title="Repeat", description="The other clip starts again when it ends. Off: it holds its last pose.")
    ] = True
    relations: Annotated[
        bool,
        Meta(
            title="Relations",
            description="Hands that touch in one of the clips also touch in the blend, by that clip's weight.",
        ),
    ] = True
    space: Annotated[
        Literal["local", "model"],
        Meta(
            title="Topmost joints",
            description="How the topmost blended joints are matched. local: relative to their parent. model: "
                        "relative to the heading of the figure, so that an aimed upper body stays aimed over a "
                        "swaying pelvis.",
        ),
    ] = "local"  # fmt: skip


def clip_named(name: str, clips: Clips) -> tuple[Clip, Rig]:
    """The clip of that name (FILE/CLIP, take:NAME, or the clip's own name where it is the only one). Raises RecipeError."""
    if name in clips:
        return clips[name]
    found = [n for n in clips if n.rsplit("/", 1)[-1] == name and name]
    if len(found) == 1:
        return clips[found[0]]
    if not name:
        raise RecipeError("no clip to blend is chosen", advice="Choose one, or give it with --with.")
    several = f"{name!r} may be {', '.join(found)}" if found else f"there is no clip {name!r}"
    raise RecipeError(several, advice=f"Known: {', '.join(list(clips)[:12])}." if clips else "Give it with --with.")


def blend(clip: Clip, rig: Rig, settings: BlendSettings, clips: Clips, mask: Mask | None = None) -> Clip:
    """The clip with the other's motion at full weight; the step's weights are laid over it by whoever calls. mask: what the
    step reaches, which says where its topmost joints are.

    Joints meet by name; what the other clip lacks stays. Raises RecipeError where they have no joint in common, the
    clip is not known, or there are no contacts to line up by.
    """
    other, other_rig = clip_named(settings.clip, clips)
    s, index = clip.skeleton, other.skeleton.index
    to = np.array([j for j, n in enumerate(s.names) if n in index], dtype=np.intp)
    if len(to) == 0:
        raise RecipeError(
            f"{settings.clip!r} has none of the joints of this rig",
            advice="Retarget it in a separate take, then blend that take.",
        )
    if mask is not None:
        to = to[mask.weights(rig)[to] > 0]  # what it does not reach need not be computed
    of = np.array([index[s.names[j]] for j in to], dtype=np.intp)
    at = other_frames(clip, rig, other, other_rig, settings)
    if settings.repeat:
        seen = cycle.at_moments(other, other_rig.travel_joint, at, turning=other.loop)
    else:
        seen = at_frames(other, at)
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    # A joint that rests at another place in the other file keeps its own bone: only what moves beyond rest is taken.
    beyond = seen.translations[:, of] - other.skeleton.rest_translations[of]
    if settings.mode == "replace":
        rotations[:, to] = seen.rotations[:, of]
        translations[:, to] = s.rest_translations[to] + beyond
    else:
        q0, t0 = _against(other, settings)
        back = quat.conjugate(q0[of])
        if other.additive is not None and other.additive.turns == "parent":
            change = quat.multiply(seen.rotations[:, of], back)
            rotations[:, to] = quat.multiply(change, rotations[:, to])
        else:
            rotations[:, to] = quat.multiply(rotations[:, to], quat.multiply(back, seen.rotations[:, of]))
        translations[:, to] += seen.translations[:, of] - t0[of]
    if settings.space == "model":
        at_first = kinematics.forward(other.skeleton.parents, *(a[None] for a in _against(other, settings)))[0][0]
        pairs = {j: k for j, k in zip(to.tolist(), of.tolist(), strict=True) if j in _topmost(mask, rig)}
        aside = travel.yaw(_headings(clip, rig) - _headings(seen, other_rig))
        _hold_in_model(rotations, clip, (seen, aside), pairs, at_first if settings.mode == "add" else None)
    rotations[:, to] = quat.settled(quat.normalise(rotations[:, to]))
    tracks = mixed_tracks(clip.tracks, seen.tracks, np.ones(clip.frames)) if settings.mode == "replace" else clip.tracks
    return replace(clip, rotations=owned(rotations), translations=owned(translations), tracks=tracks)


def _against(other: Clip, settings: BlendSettings) -> tuple[Array, Array]:
    """The pose that the other clip's change is counted from: local rotations and translations; an additive clip's own is the
    rest pose."""
    if settings.against == "rest pose" or other.additive is not None:
        return other.skeleton.rest_rotations, other.skeleton.rest_translations
    frame = min(settings.frame, other.frames - 1) if settings.against == "frame" else 0
    return other.rotations[frame], other.translations[frame]


def _topmost(mask: Mask | None, rig: Rig) -> list[int]:
    """Joints that a mask reaches while their parents are out of it."""
    if mask is None:
        return list(rig.skeleton.roots)
    reached = mask.weights(rig) > 0
    parents = rig.skeleton.parents
    return [j for j in np.flatnonzero(reached).tolist() if parents[j] < 0 or not reached[parents[j]]]


# Headings along which clips are seen leave out what is quicker than this, seconds: a sway of the pelvis is no turn.
_SLOWLY = 1.0


def _headings(clip: Clip, rig: Rig) -> Array:
    """Which way a figure heads ``(frames,)``, radians."""
    return travel_of(clip, rig, "smoothed", _SLOWLY).heading


def _hold_in_model(
    rotations: Array, clip: Clip, other: tuple[Clip, Array], pairs: Mapping[int, int], first: Array | None
) -> None:
    """Give topmost joints the other's rotation in the world's axes, over parents that move as they did. other: the clip, and
    what turns its heading into this one's ``(frames, 4)``. pairs: joint → the other's joint. first: rotations ``(joints, 4)``
    that the other's change is counted from; None: not its change, itself."""
    seen, aside = other
    parents = clip.skeleton.parents
    turned = clip.model[0]
    for j, k in pairs.items():
        if parents[j] < 0:
            continue
        wanted = seen.model[0][:, k]
        if first is None:
            wanted = quat.multiply(aside, wanted)
        else:
            change = quat.multiply(wanted, quat.conjugate(first[k]))
            wanted = quat.multiply(quat.multiply(quat.multiply(aside, change), quat.conjugate(aside)), turned[:, j])
        rotations[:, j] = quat.multiply(quat.conjugate(turned[:, parents[j]]), wanted)


# In time ----------------------------------------------------------------------------------------------------


def other_frames(clip: Clip, rig: Rig, other: Clip, other_rig: Rig, settings: BlendSettings) -> Array:
    """Which frame of the other clip (any number) stands at each frame of this one ``(frames,)``."""
    f = np.arange(clip.frames, dtype=np.float64) - settings.shift
    if settings.line_up == "start":
        return f * (other.rate / clip.rate)
    if settings.line_up == "stretch":
        return f * ((other.frames - 1) / max(clip.frames - 1, 1))
    if settings.line_up == "cycle":
        (b0, pb), (o0, po) = _cycle(clip, rig, "this clip"), _cycle(other, other_rig, settings.clip)
        return o0 + (f - b0) * (po / pb)
    x, y = _paired(_marks(clip, rig), _marks(other, other_rig))
    if len(x) < 2:
        raise RecipeError("the clips have no matching contacts to line up by", advice="Use start, stretch or cycle.")
    return _through(f, np.array(x, dtype=np.float64), np.array(y, dtype=np.float64))


def _cycle(clip: Clip, rig: Rig, what: str) -> tuple[float, float]:
    """A footfall of the left foot and the length of a cycle, in frames; raises RecipeError where there is neither."""
    stands = standing_spans(clip, rig).get("left")
    falls = [] if stands is None else [a for a, _ in stances.spans(stands) if a > 0]
    if stands is not None and clip.loop and len(stands) > 2 and stands[0] and not stands[-2]:
        falls = [0, *falls]
    if len(falls) > 1:
        return float(falls[0]), float(np.mean(np.diff(falls)))
    if falls and clip.loop:
        return float(falls[0]), float(clip.frames - 1)
    raise RecipeError(f"{what} has no cycle of foot strikes to line up by", advice="Use start or stretch.")


# How many rounds of a loop are looked at for contacts beside its own, after it; and one before it.
_ROUNDS = 8


def _marks(clip: Clip, rig: Rig) -> list[tuple[float, str]]:
    """Begin and end of every contact inside the clip, in time, with what it is; of a loop also in the rounds before and after."""
    out: list[tuple[float, str]] = []
    last = clip.frames - 1
    for side, stands in standing_spans(clip, rig).items():
        if clip.loop and last > 1:
            round_ = np.concatenate([stands[last - 1 : last], stands[:-1]])
            began = np.flatnonzero(~round_[:-1] & round_[1:])
            ended = np.flatnonzero(round_[:-1] & ~round_[1:]) - 1
            for k in range(-1, _ROUNDS):
                out += [
                    (float(f % last + k * last), f"{side} {what}")
                    for fs, what in ((began, "down"), (ended, "up"))
                    for f in fs
                ]
            continue
        for first, end in stances.spans(stands):
            if first > 0:
                out.append((float(first), f"{side} down"))
            if end < last:
                out.append((float(end), f"{side} up"))
    return sorted(out)


def _paired(here: list[tuple[float, str]], there: list[tuple[float, str]]) -> tuple[list[float], list[float]]:
    """Marks that stand for each other, in order, from the first one alike."""
    x: list[float] = []
    y: list[float] = []
    k = 0
    for frame, what in here:
        found = next((i for i in range(k, len(there)) if there[i][1] == what and (not y or there[i][0] > y[-1])), None)
        if found is not None and (not x or frame > x[-1]):
            x.append(frame)
            y.append(there[found][0])
            k = found + 1
    return x, y


def _through(f: Array, x: Array, y: Array) -> Array:
    """Straight from mark to mark, on beyond the outer ones at their own pace."""
    out = np.interp(f, x, y)
    first, last = (y[1] - y[0]) / (x[1] - x[0]), (y[-1] - y[-2]) / (x[-1] - x[-2])
    out = np.where(f < x[0], y[0] + (f - x[0]) * first, out)
    return np.where(f > x[-1], y[-1] + (f - x[-1]) * last, out)


@dataclass(frozen=True, eq=False)
class BlendReport:
    """How two clips lie to each other: frames and length of the other one in seconds, how many times as long as this clip
    it is; which of its frames stands at each of this clip's ``(frames,)``; per side, when the foot stands in either."""

    frames: int
    seconds: float
    ratio: float
    at: Array
    stands: Mapping[str, NDArray[np.bool_]]
    other_stands: Mapping[str, NDArray[np.bool_]]


def _run(given: Given, settings: BlendSettings, context: Context) -> Outcome:
    clip, rig = given.clip, given.rig
    out = blend(clip, rig, settings, context.clips, given.mask)
    other, other_rig = clip_named(settings.clip, context.clips)

    def report(_: Clip) -> BlendReport:
        ratio = other.duration / max(clip.duration, 1e-9)
        at = other_frames(clip, rig, other, other_rig, settings)
        stands, others = standing_spans(clip, rig), standing_spans(other, other_rig)
        return BlendReport(other.frames, other.duration, ratio, at, stands, others)

    return given.changed(out, report)


def _hands_between(given: Given, settings: BlendSettings, full: Clip, partly: Clip) -> Clip:
    """Hands that meet in both clips meet between them."""
    keeps = settings.relations and settings.mode == "replace"
    return hands_between(partly, given.rig, _shares(given, full)) if keeps else partly


def _shares(given: Given, full: Clip) -> list[Mixed]:
    """The clips that a blend lies between, and how much both arms are those of each: one of this and one of that is neither's."""
    clip, rig = given.clip, given.rig
    arms = [given.share(j) for s in SIDES for p in ("upper arm", "forearm") if (j := rig.joint(f"{s} {p}")) >= 0]
    return [Mixed(clip, rig, 1 - np.max(arms, axis=0)), Mixed(full, rig, np.min(arms, axis=0))] if arms else []


def _read(settings: BlendSettings, context: Context) -> list[str]:
    clip, rig = clip_named(settings.clip, context.clips)
    return [clip.digest, rig.digest]


def _upgraded(plain: dict[str, Any]) -> dict[str, Any]:
    """Contacts had another name once."""
    return {**plain, "line_up": "contacts"} if plain.get("line_up") == "plants" else plain


KIND = StepKind(
    "blend",
    "Blend",
    "Blend another clip or the result of another take into chosen joints: replace their motion, or add changes to it.",
    BlendSettings,
    _run,
    place=70,
    group="layers",
    between=_hands_between,
    upgraded=_upgraded,
    reads=_read,
)

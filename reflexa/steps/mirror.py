"""Mirror: the motion reflected across the figure's plane, each joint taking its partner's."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from reflexa.motion import cycle, kernels, kinematics, quat, travel
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Event, Track
from reflexa.motion.contact import Contact, in_order
from reflexa.rig import Rig
from reflexa.rig.rig import UP
from reflexa.rig.sides import swap_in_text
from reflexa.steps.cycle import must_close
from reflexa.steps.hands_kept import hands_kept
from reflexa.steps.helper_joints import on_rules, snapped
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind

Plane = Literal["own start", "world"]
Sides = Literal["swap", "left onto right", "right onto left"]
# A helper joint this close to its rule all through a clip is on it, and is put back on it afterwards.
_ON_RULE, _ON_RULE_TURN = 1e-4, 1e-3


class MirrorSettings(Settings, frozen=True):
    plane: Annotated[
        Plane,
        Meta(
            title="Mirror plane",
            description="own start: the plane goes through the position and heading of the first frame, so "
            "that the clip starts where it did. world: the plane goes through the origin of the "
            "world.",
        ),
    ] = "own start"
    sides: Annotated[
        Sides,
        Meta(
            title="Sides",
            description="swap: mirror the whole figure. left onto right, right onto left: copy the motion of "
            "one side's limbs to the other side, relative to the centre joint that carries them. "
            "Centre joints do not change.",
        ),
    ] = "swap"
    half_cycle: Annotated[
        bool,
        Meta(
            title="Shift by half a cycle",
            description="For loops: the mirrored clip starts on the same foot as the source.",
        ),
    ] = False
    relations: Annotated[
        bool,
        Meta(
            title="Relations",
            description="Keep hands together that touch, and keep arms out of the body, also on figures that "
            "are not symmetric.",
        ),
    ] = True
    helpers: Annotated[
        bool,
        Meta(
            title="Helper joints follow",
            description="Helper joints that follow their rule still follow it after mirroring, also on rigs "
            "that are not symmetric.",
        ),
    ] = True


def reflect_rotation(q: Array, normal: Array) -> Array:
    """S · R · S for rotations ``(…, 4)`` and the reflection S across the plane with unit ``normal``."""
    return np.asarray(q @ _reflection(normal))


def _reflection(normal: Array) -> Array:
    to = np.eye(4)
    to[:3, :3] = 2 * np.outer(normal, normal) - np.eye(3)
    return to


def start_heading(clip: Clip, rig: Rig) -> tuple[Array, Array]:
    """Heading ``(4,)`` relative to rest (a turn about up) and place ``(3,)`` of the travelling joint at the first frame."""
    joint = rig.travel_joint
    first = kinematics.forward(
        clip.skeleton.parents,
        clip.rotations[:1],
        clip.translations[:1],
        None if clip.scales is None else clip.scales[:1],
    )
    own = quat.conjugate(rig.neutral.rest_model[0][joint])
    heading = travel.headings(first[0][:, joint], quat.rotate(own, rig.facing), quat.rotate(own, UP))[0]
    return travel.yaw(heading - np.arctan2(rig.facing[0], rig.facing[2])), np.asarray(first[1][0, joint])


def mirror(clip: Clip, rig: Rig, settings: MirrorSettings) -> Clip:
    """Mirror a clip as the settings say; joints without a partner are reflected in themselves. Raises RecipeError where a clip
    is to be shifted by half a cycle that does not close."""
    out = reflected(clip, rig, settings.plane)
    if settings.sides == "swap" and settings.relations:
        heading, normal = _plane(clip, rig, settings.plane)[0], rig.plane.normal
        out = hands_kept(clip, out, rig, lambda way: _across(way, heading, normal))
    if settings.sides != "swap":
        side = "right" if settings.sides == "left onto right" else "left"
        taking = np.array([s == side for s in rig.side_of])
        # Local values: what a limb does against the centre joint that carries it, mirrored, and nothing else.
        rotations, translations = np.array(clip.rotations), np.array(clip.translations)
        rotations[:, taking], translations[:, taking] = out.rotations[:, taking], out.translations[:, taking]
        out = clip.with_motion(quat.continuous(rotations), translations)
    if settings.half_cycle and out.frames > 2:
        advice = "Switch 'Shift by half a cycle' off, or use a clip that is a loop."
        must_close(clip, rig, ", so it cannot be shifted by half a cycle", advice)
        out = cycle.shifted(out, rig.travel_joint, (out.frames - 1) / 2)
    good = on_rules([clip], rig, _ON_RULE, _ON_RULE_TURN) if settings.helpers else ()
    return snapped(out, rig, good) if good else out


def _plane(clip: Clip, rig: Rig, plane: Plane) -> tuple[Array, Array]:
    """Heading ``(4,)`` relative to rest and a place ``(3,)`` of the plane that a clip is reflected across."""
    return start_heading(clip, rig) if plane == "own start" else (np.array(quat.IDENTITY), np.zeros(3))


def _across(way: Array, heading: Array, normal: Array) -> Array:
    """Ways ``(…, 3)`` reflected across the rig's own plane, turned by a heading."""
    local = quat.rotate(quat.conjugate(heading), way)
    return quat.rotate(heading, local - 2 * (local @ normal)[..., None] * normal)


def reflected(clip: Clip, rig: Rig, plane: Plane) -> Clip:
    """Reflect a clip across the rig's own plane.

    With S the rig's own reflection and Y the plane's heading, D'(j) = Y · S · Y⁻¹ D(π(j)) · S for rest-relative
    deltas D. What a translation does beyond rest is reflected in model space too.
    """
    skeleton = rig.neutral
    partner = rig.partner
    normal = rig.plane.normal
    rest_q = skeleton.rest_model[0]
    turned, placed = clip.model
    heading, origin = _plane(clip, rig, plane)
    away = quat.conjugate(heading)

    # Y · S (Y⁻¹ Q(π) Q0(π)⁻¹) S · Q0, S being its own inverse, is Y S(Y⁻¹) · S(Q(π)) · [S(Q0(π)⁻¹) Q0]: linear in Q(π).
    front = quat.multiply(heading, reflect_rotation(away, normal))
    behind = quat.multiply(reflect_rotation(quat.conjugate(rest_q[partner]), normal), rest_q)
    through = _reflection(normal) @ quat.left_matrix(front) @ quat.right_matrix(behind)

    def new_q(joints: NDArray[np.intp]) -> Array:
        return quat.mapped(turned[:, partner[joints]], through[joints])

    def reflect_vector(v: Array) -> Array:
        return _across(v, heading, normal)

    parents = skeleton.parents
    has = np.flatnonzero(parents >= 0)
    rest_t = skeleton.rest_translations
    translations = np.array(clip.translations)
    translations[:, has] = rest_t[has]
    # Only joints whose partner really moves beyond its rest need the way through model space.
    far = np.maximum(clip.translations.max(axis=0) - rest_t, rest_t - clip.translations.min(axis=0)).max(axis=-1)
    moving = has[far[partner[has]] > 1e-12]
    if len(moving):
        source = partner[moving]
        # A partner whose own parent is missing (one side's root) moves in the world's axes.
        above = np.where((parents[source] >= 0)[:, None], turned[:, parents[source]], quat.IDENTITY)
        in_model = reflect_vector(quat.rotate(above, clip.translations[:, source] - rest_t[source]))
        back = quat.conjugate(new_q(parents[moving]))
        translations[:, moving] += quat.rotate(back, in_model)
    for root in skeleton.roots:
        translations[:, root] = origin + reflect_vector(placed[:, partner[root]] - origin)
    # Where the partner's parent is the parent's partner, nearly everywhere, model space falls out of the local rotation.
    above = np.where(parents >= 0, partner[parents], -1)
    alike = (parents >= 0) & (parents[partner] == above)
    local = _reflection(normal) @ quat.left_matrix(quat.conjugate(behind[parents])) @ quat.right_matrix(behind)
    rotations = np.empty(clip.rotations.shape)
    kernels.chains.mapped(partner, np.arange(len(partner)), local, clip.rotations, rotations)
    other = np.flatnonzero(~alike)
    rotations[:, other] = new_q(other)
    hung = other[parents[other] >= 0]
    rotations[:, hung] = quat.multiply(quat.conjugate(new_q(parents[hung])), rotations[:, hung])
    scales = None if clip.scales is None else _scales(clip.scales, rest_q, partner, normal)
    return replace(
        clip,
        rotations=owned(quat.settled(rotations)),
        translations=owned(translations),
        scales=scales,
        events=tuple(_event_swapped(e) for e in clip.events),
        tracks=_sides_swapped(clip.tracks),
        contacts=None
        if clip.contacts is None
        else _contacts(clip.contacts, lambda p: origin + reflect_vector(p - origin)),
    )


def _event_swapped(event: Event) -> Event:
    value = swap_in_text(event.value) if isinstance(event.value, str) else event.value
    return replace(event, name=swap_in_text(event.name), value=value)


def _sides_swapped(tracks: tuple[Track, ...]) -> tuple[Track, ...]:
    """Scalar curves that are named for a side, each with its partner's values; all others as they are."""
    values = {t.name: t.values for t in tracks}
    return tuple(Track(t.name, values.get(swap_in_text(t.name), t.values)) for t in tracks)


def _contacts(contacts: tuple[Contact, ...], reflect: Callable[[Array], Array]) -> tuple[Contact, ...]:
    """Contacts of the other side each, at places as they are reflected."""
    return in_order(
        msgspec.structs.replace(
            c, limb=swap_in_text(c.limb),
            other=swap_in_text(c.other),
            place=None if c.place is None else tuple(reflect(np.array(c.place)).tolist()),
        )
        for c in contacts
    )  # fmt: skip


def _scales(scales: Array, rest_q: Array, partner: NDArray[np.intp], normal: Array) -> Array:
    """Each joint takes its partner's scale, along whichever of its own axes mirrors the partner's."""
    reflection = np.eye(3) - 2 * np.outer(normal, normal)
    own = quat.to_matrix(rest_q)
    across = np.swapaxes(own, -1, -2) @ reflection @ own[partner]
    return np.asarray(np.einsum("jab,fjb->fja", across**2, scales[:, partner]))


def _run(given: Given, settings: MirrorSettings, context: Context) -> Outcome:
    return given.changed(mirror(given.clip, given.rig, settings))


KIND = StepKind(
    "mirror",
    "Mirror",
    "Swap left and right: every joint takes the motion of its partner, mirrored across the figure's plane.",
    MirrorSettings,
    _run,
    place=10,
    group="figure",
)

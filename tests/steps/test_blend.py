"""Blend: another clip over chosen joints, lined up in time; against SciPy where rotations are mixed."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
import pytest
from click.testing import CliRunner
from scipy.spatial.transform import Rotation, Slerp

from reflexa.cli import main
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import cycle, quat, travel
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips
from reflexa.motion.resample import at_frames, to_rate
from reflexa.motion.skeleton import chain
from reflexa.rig import Rig, analyse
from reflexa.steps import Mask, Step, apply, make
from reflexa.steps.blend import other_frames
from reflexa.steps.model import Context
from reflexa.steps.root_motion import travel_of
from reflexa.take import Source, Take, evaluate
from reflexa.take.clips import ClipsByName
from tests.helpers import rigs
from tests.helpers.files import DECKHAND

RIG = rigs.rig(4, extras=True)


def gentle(seed: int) -> Clip:
    """A made clip whose joints turn about their rest by less than a person's."""
    wild = rigs.clip(RIG, seed, 40)
    rest = np.broadcast_to(RIG.skeleton.rest_rotations, wild.rotations.shape)
    return wild.with_motion(quat.slerp(rest, wild.rotations, np.full(rest.shape[:2], 0.3)), wild.translations)


BASE, OTHER = gentle(1), gentle(2)


def blended(base: Clip, other: Clip, rig: Rig = RIG, other_rig: Rig | None = None, **how: object) -> Clip:
    """The base with a blend of the other; ``weight`` and ``mask`` go to the step, the rest to its settings."""
    step = make("blend", clip="o", **{k: v for k, v in how.items() if k not in ("weight", "mask")})
    step = msgspec.structs.replace(step, weight=how.get("weight", 1.0), mask=how.get("mask"))
    return apply(step, base, rig, context=Context(clips={"o": (other, other_rig or rig)}))


def degrees(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return np.degrees(quat.angle(quat.multiply(quat.conjugate(a), b)))


def test_nothing_at_no_weight_and_all_of_it_at_full() -> None:
    assert blended(BASE, OTHER, weight=0.0) is BASE
    out = blended(BASE, OTHER)
    assert degrees(out.rotations, OTHER.rotations).max() < 1e-5 and np.allclose(out.translations, OTHER.translations)
    assert out.events == BASE.events and out.name == BASE.name


def calm(ways: np.ndarray) -> list[int]:
    """Joints whose difference ``(frames, joints, 4)`` stays well under half a turn, and changes by less than that in a frame."""
    steps = quat.multiply(quat.conjugate(ways[:-1]), ways[1:])
    return np.flatnonzero(
        (np.degrees(quat.angle(ways)).max(axis=0) < 115) & (np.degrees(quat.angle(steps)).max(axis=0) < 60)
    ).tolist()


def test_in_between_is_slerp_on_the_short_arc() -> None:
    """Against SciPy's Slerp, joint by joint, where the difference never comes near half a turn."""
    out = blended(BASE, OTHER, weight=0.3)
    near = calm(quat.multiply(quat.conjugate(BASE.rotations), OTHER.rotations))
    assert len(near) >= 3
    for j in near:
        for f in (0, 17, 39):
            pair = Rotation.from_quat(np.stack([BASE.rotations[f, j], OTHER.rotations[f, j]]))
            expected = Slerp([0, 1], pair)(0.3)
            assert (expected.inv() * Rotation.from_quat(np.array(out.rotations[f, j]))).magnitude() < 1e-9
    assert np.allclose(out.translations, 0.7 * BASE.translations + 0.3 * OTHER.translations)


def test_a_mask_leaves_the_rest_bit_for_bit_and_fades_over_its_edge() -> None:
    mask = Mask(parts=("left arm",), edge=2)
    out = blended(BASE, OTHER, mask=mask)
    weights = mask.weights(RIG)
    outside = np.flatnonzero(weights == 0)
    assert np.array_equal(out.rotations[:, outside], BASE.rotations[:, outside])
    arm = [RIG.joint(f"left {p}") for p in ("clavicle", "upper arm", "forearm", "hand")]
    assert weights[arm] == pytest.approx([1 / 3, 2 / 3, 1, 1])
    assert degrees(out.rotations[:, arm[2:]], OTHER.rotations[:, arm[2:]]).max() < 1e-5
    assert degrees(out.rotations[:, arm[0]], BASE.rotations[:, arm[0]]).max() > 1


def test_the_arc_is_the_same_way_round_all_through_a_spin() -> None:
    """Half of a joint that turns once about itself, beside one that stands: never a jump, at half a turn nor at a whole one."""
    n = 91
    still = rigs.clip(RIG, 3, frames=n)
    still = still.with_motion(np.repeat(still.rotations[:1], n, axis=0), np.repeat(still.translations[:1], n, axis=0))
    head = RIG.joint("head")
    turned = np.array(still.rotations)
    turned[:, head] = quat.multiply(turned[:, head], quat.about(1, np.linspace(0, 2 * np.pi, n)))
    out = blended(still, still.with_motion(turned, still.translations), weight=0.5)
    steps = degrees(out.rotations[1:, head], out.rotations[:-1, head])
    assert steps.max() < 15, "as fast as the way is changed, and no faster"
    assert degrees(out.rotations[[0, -1], head], still.rotations[[0, -1], head]).max() < 1e-3


@pytest.mark.parametrize("against", ["first frame", "rest pose", "frame"])
def test_added_is_the_others_change_on_top(against: str) -> None:
    """A haul made heavier by 30 %: its own change from a pose, added at weight 0.3 (SciPy's rotation powers)."""
    out = blended(BASE, BASE, mode="add", against=against, frame=7, weight=0.3)
    start = {"first frame": BASE.rotations[0], "rest pose": RIG.skeleton.rest_rotations, "frame": BASE.rotations[7]}[
        against
    ]
    near = calm(quat.multiply(quat.conjugate(start), BASE.rotations))
    assert len(near) >= 3
    for j in near:
        change = Rotation.from_quat(np.array(start[j])).inv() * Rotation.from_quat(np.array(BASE.rotations[:, j]))
        expected = Rotation.from_quat(np.array(BASE.rotations[:, j])) * change**0.3
        assert (expected.inv() * Rotation.from_quat(np.array(out.rotations[:, j]))).magnitude().max() < 1e-7
    still = BASE.cut(0, 0)
    assert degrees(blended(OTHER, still, mode="add").rotations, OTHER.rotations).max() < 1e-5, (
        "a still clip adds nothing"
    )


def test_an_aimed_upper_body_stays_aimed_over_a_swaying_pelvis() -> None:
    mask = Mask(parts=("upper body",))
    out = blended(BASE, OTHER, mask=mask, space="model")
    top = RIG.joint("spine")
    # Both are seen along their own headings.
    aside = travel.yaw(np.subtract(*(travel_of(c, RIG, "smoothed", 1.0).heading for c in (BASE, OTHER))))
    assert degrees(out.model[0][:, top], quat.multiply(aside, OTHER.model[0][:, top])).max() < 1e-5
    head = RIG.joint("head")
    assert degrees(out.model[0][:, head], quat.multiply(aside, OTHER.model[0][:, head])).max() < 1e-5
    local = blended(BASE, OTHER, mask=mask)
    assert degrees(local.model[0][:, top], OTHER.model[0][:, top]).max() > 5
    added = blended(BASE, OTHER, mask=mask, space="model", mode="add")
    first = quat.multiply(OTHER.model[0][:, top], quat.conjugate(OTHER.model[0][0, top]))
    first = quat.multiply(quat.multiply(aside, first), quat.conjugate(aside))
    assert degrees(added.model[0][:, top], quat.multiply(first, BASE.model[0][:, top])).max() < 1e-5


# In time --------------------------------------------------------------------------------------------------


def test_start_goes_by_the_clock_slides_and_repeats_or_holds() -> None:
    slow = to_rate(OTHER, 15.0)
    settings = make("blend", shift=4).settings
    assert other_frames(BASE, RIG, slow, RIG, settings)[:6] == pytest.approx([-2, -1.5, -1, -0.5, 0, 0.5])
    short = OTHER.cut(0, 10)
    held = blended(BASE, short, repeat=False)
    assert degrees(held.rotations[10:], np.broadcast_to(short.rotations[10], held.rotations[10:].shape)).max() < 1e-5
    again = blended(BASE, short)
    assert degrees(again.rotations[13], short.rotations[3]).max() < 1e-5
    root = RIG.skeleton.roots[0]
    travel = (short.translations[-1, root] - short.translations[0, root]) * [1, 0, 1]
    assert again.translations[23, root] == pytest.approx(short.translations[3, root] + 2 * travel)
    whole = blended(BASE, OTHER)
    assert degrees(whole.rotations[39], OTHER.rotations[39]).max() < 1e-5, "the end is the end"


def test_stretch_lays_ends_on_ends() -> None:
    short = OTHER.cut(3, 17)
    out = blended(BASE, short, line_up="stretch")
    assert degrees(out.rotations[[0, -1]], short.rotations[[0, -1]]).max() < 1e-5
    assert degrees(out.rotations, at_frames(short, np.linspace(0, 14, 40)).rotations).max() < 1e-4


def test_cycles_meet_whatever_each_begins_with(deckhand_rig, deckhand_clips) -> None:
    """The walk begun 11 frames later and played slower lies on the walk again, footfall on footfall."""
    walk = deckhand_clips["walk on the spot"]
    late = cycle.shifted(walk, deckhand_rig.travel_joint, 11)
    slow = replace(at_frames(late, np.linspace(0, walk.frames - 1, 41)), loop=True)
    arm = Mask(parts=("left arm", "right arm"))
    out = blended(walk, slow, deckhand_rig, line_up="cycle", mask=arm)
    joints = [deckhand_rig.joint(f"{s} upper arm") for s in ("left", "right")]
    # Footfalls are found on whole frames: half a frame of a slower clip is at most a few degrees of swing.
    assert degrees(out.rotations[:-1, joints], walk.rotations[:-1, joints]).max() < 4.0
    plain = blended(walk, slow, deckhand_rig, mask=arm)
    assert degrees(plain.rotations[:-1, joints], walk.rotations[:-1, joints]).max() > 15.0


def test_plants_meet_through_a_bent_time(deckhand_rig, deckhand_clips) -> None:
    """A walk of two cycles whose time was bent is straightened by its contacts."""
    one = deckhand_clips["walk on the spot"]
    at = np.concatenate([np.arange(32), np.arange(33)])
    walk = replace(one, rotations=one.rotations[at], translations=one.translations[at], loop=False)
    f = np.arange(80)
    bent = at_frames(walk, 64 * (f / 79) ** 1.3)
    out = other_frames(walk, deckhand_rig, bent, deckhand_rig, make("blend", line_up="contacts").settings)
    expected = 79 * (np.arange(65) / 64) ** (1 / 1.3)
    # Strikes are told by speeds, which bent time changes too.
    assert np.abs(out - expected)[8:-8].max() < 3.5 and np.abs(np.arange(65) * 79 / 64 - expected).max() > 6


def test_what_cannot_be_lined_up_or_blended_is_said(deckhand_rig, deckhand_clips) -> None:
    idle, walk = deckhand_clips["lantern idle"], deckhand_clips["walk"]
    strange = analyse(chain(["a", "b"], [[0, 0, 0], [0, 1, 0]]))
    with pytest.raises(RecipeError, match="no cycle of foot strikes"):
        blended(walk, idle, deckhand_rig, line_up="cycle")
    with pytest.raises(RecipeError, match="no matching contacts"):
        blended(walk, idle, deckhand_rig, line_up="contacts")
    with pytest.raises(RecipeError, match="none of the joints of this rig"):
        blended(walk, rigs.clip(strange, 1), deckhand_rig, strange)
    with pytest.raises(RecipeError, match="no clip to blend is chosen"):
        apply(make("blend"), walk, deckhand_rig)
    with pytest.raises(RecipeError, match="there is no clip"):
        apply(make("blend", clip="nobody"), walk, deckhand_rig, context=Context(clips={"a/b": (walk, deckhand_rig)}))


# From takes -----------------------------------------------------------------------------------------------


def test_a_take_draws_on_another_and_circles_are_told() -> None:
    source = {"f": (Clips.of([replace(BASE, name="base"), replace(OTHER, name="other")]), RIG)}
    one = Take("one", Source("f", "other"), (make("mirror"),))
    two = Take("two", Source("f", "base"), (make("blend", clip="take:one"),))
    clips = ClipsByName(source, (one, two))
    result = evaluate(two, *clips["f/base"], clips.within("two").surroundings)
    assert degrees(result.result.rotations, clips["take:one"][0].rotations).max() < 1e-5
    round_ = replace(one, steps=(make("blend", clip="take:two"),))
    circle = ClipsByName(source, (round_, two))
    with pytest.raises(RecipeError, match="circle: two → one → two"):
        evaluate(two, *circle["f/base"], circle.within("two").surroundings)
    lost = ClipsByName(source, (Take("lost", Source("g", "x")),))
    with pytest.raises(RecipeError, match="source of 'lost' is missing"):
        lost["take:lost"]


def test_the_command_line_blends(tmp_path: Path) -> None:
    """The lantern arm over the walk, from a recipe; the source's legs stay as they are."""
    recipe = tmp_path / "r.recipe.json"
    step: Step = make("blend", clip="deckhand.glb/lantern idle")
    recipe.write_text(json.dumps({
        "reflexa": "recipe", "version": 1, "name": "lantern",
        "steps": [{"kind": "blend", "mask": {"parts": ["right arm"], "edge": 1}, "settings": msgspec.to_builtins(step.settings)}],
    }))  # fmt: skip
    args = ["apply", str(DECKHAND), "--recipe", str(recipe), "--out", str(tmp_path / "o"), "--quiet"]
    result = CliRunner().invoke(main, args)
    assert result.exit_code == 2 and "--with" in result.stderr
    result = CliRunner().invoke(main, [*args, "--with", str(DECKHAND)])
    assert result.exit_code == 0, result.stderr
    made, deck = read(tmp_path / "o" / "deckhand walk.glb"), read(DECKHAND)
    walk, idle = (next(c for c in deck.clips if c.name == n) for n in ("walk", "lantern idle"))
    index = walk.skeleton.index
    assert degrees(made.clips[0].rotations[:, index["shin_left"]], walk.rotations[:, index["shin_left"]]).max() < 1e-3
    arm = index["forearm_right"]
    assert degrees(made.clips[0].rotations[:, arm], idle.rotations[:33, arm]).max() < 1e-3


def test_a_loop_that_turns_goes_on_turning_when_it_is_repeated(deckhand_clips, deckhand_rig) -> None:
    """60° a round: after two rounds the figure has turned by 120° and stands where two turned rounds lead, not one."""
    walk, rig = deckhand_clips["walk"], deckhand_rig
    turned = turning(walk, rig, 60.0)
    base = replace(
        walk, rotations=np.tile(walk.rotations[:1], (97, 1, 1)), translations=np.tile(walk.translations[:1], (97, 1, 1))
    )
    out = blended(base, turned, rig, line_up="start", repeat=True)
    root, last = rig.joint("root"), turned.frames - 1
    turn = quat.multiply(turned.model[0][last, root], quat.conjugate(turned.model[0][0, root]))
    place, heading = turned.model[1][0, root], turned.model[0][0, root]
    for round_ in range(1, 4):
        # Two rigid motions one after the other, as any handbook of mechanics has them.
        place = turned.model[1][last, root] + quat.rotate(turn, place - turned.model[1][0, root])
        heading = quat.multiply(turn, heading)
        at = round_ * last
        assert np.abs(out.model[1][at, root] - place).max() < 1e-6, round_
        assert np.degrees(quat.angle(quat.multiply(quat.conjugate(heading), out.model[0][at, root]))) < 1e-5
    assert np.degrees(quat.angle(quat.multiply(quat.conjugate(out.model[0][0, root]), out.model[0][64, root]))) == (
        pytest.approx(120.0, abs=1e-4)
    )


def turning(clip: Clip, rig: Rig, degrees: float) -> Clip:
    """The clip led along a bend, so that it turns by so much in its length and still loops."""
    angle = np.radians(degrees) * np.arange(clip.frames) / (clip.frames - 1)
    turn = quat.about(1, angle)
    root = rig.joint("root")
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    rotations[:, root] = quat.multiply(turn, rotations[:, root])
    step = np.diff(clip.translations[:, root], axis=0, prepend=clip.translations[:1, root])
    translations[:, root] = clip.translations[0, root] + np.cumsum(quat.rotate(turn, step), axis=0)
    return replace(clip, rotations=rotations, translations=translations, loop=True)


def test_loops_of_one_cycle_line_up_by_their_plants(deckhand_clips, deckhand_rig) -> None:
    """A walk and the same walk begun half a cycle later: contact for contact they are the same again."""
    walk = deckhand_clips["walk"]
    later = cycle.shifted(walk, deckhand_rig.travel_joint, 16)
    at = other_frames(walk, deckhand_rig, later, deckhand_rig, make("blend", line_up="contacts").settings)
    period = walk.frames - 1
    off = (at - (np.arange(walk.frames) - 16)) % period
    assert np.minimum(off, period - off).max() < 1.01


def test_hands_that_meet_in_both_clips_meet_in_between(deckhand_clips, deckhand_rig) -> None:
    haul = deckhand_clips["rope haul"]
    other = apply(make("mirror"), haul, deckhand_rig)
    context = Context(clips={"o": (other, deckhand_rig)})

    def apart(c: Clip) -> np.ndarray:
        left, right = (c.model[1][:, deckhand_rig.joint(f"{s} hand")] for s in ("left", "right"))
        return np.linalg.norm(left - right, axis=1)

    together = apart(haul) < np.quantile(apart(haul), 0.3)
    for weight in (0.3, 0.5, 0.7):
        step = msgspec.structs.replace(make("blend", clip="o"), weight=weight)
        off = np.abs(apart(apply(step, haul, deckhand_rig, context=context)) - apart(haul))[together]
        assert off.max() < 0.02, "2 cm, as relations are kept"
        plain = msgspec.structs.replace(make("blend", clip="o", relations=False), weight=weight)
        assert (
            np.abs(apart(apply(plain, haul, deckhand_rig, context=context)) - apart(haul))[together].max() > off.max()
        )
    whole, plain = (
        apply(make("blend", clip="o", relations=on), haul, deckhand_rig, context=context) for on in (True, False)
    )
    assert np.array_equal(whole.rotations, plain.rotations), "nothing lies between them"

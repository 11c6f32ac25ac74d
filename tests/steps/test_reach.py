"""Goals and what keeps its place in the world; the stage that they are about."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.checks import findings
from reflexa.demo import ik
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.stage import EMPTY, Carrying, Grip, Prop, Stage
from reflexa.stage.model import grip_track, turn_of
from reflexa.stage.presets import PRESETS
from reflexa.steps import apply, make, settled
from reflexa.steps.model import SOURCE, Context, Point
from reflexa.steps.reach import ActiveSpan, distance, weight_of
from reflexa.take import Cache, Source, Surroundings, Take, evaluate
from reflexa.take.edits import with_prop, with_step
from tests.helpers import rigs
from tests.helpers.walks import walked


def at_goal(clip: Clip, rig: Rig, stage: Stage = EMPTY, **said: object) -> tuple[Clip, np.ndarray, np.ndarray]:
    """The clip with a goal, how far it is from it, and how much the goal acts."""
    step = make("reach", **said)
    out = apply(step, clip, rig, context=Context(stage=stage))
    return out, *distance(out, rig, step.settings, stage)


def near_hand(clip: Clip, rig: Rig, limb: str, by: tuple[float, float, float]) -> tuple[float, float, float]:
    p = clip.model[1][:, rig.joint(limb)].mean(axis=0) + by
    return float(p[0]), float(p[1]), float(p[2])


# Goals ----------------------------------------------------------------------------------------------------------


@given(st.integers(0, 40), st.floats(0.1, 0.97), st.tuples(*[st.floats(-1, 1)] * 3))
@settings(max_examples=30, deadline=None)
def test_a_goal_in_reach_is_met_on_any_rig(seed, share, way) -> None:
    rig = rigs.rig(seed, style=seed)
    clip = rigs.clip(rig, seed, frames=4)
    root, middle, end = rig.limb("left hand")
    placed = clip.model[1]
    upper = np.linalg.norm(placed[0, middle] - placed[0, root])
    lower = np.linalg.norm(placed[0, end] - placed[0, middle])
    # Anywhere between fully bent and 97 % stretched, from the shoulder of the first frame.
    reach = abs(upper - lower) + 0.02 + share * (0.97 * (upper + lower) - abs(upper - lower) - 0.02)
    direction = np.array(way) + [0.01, 0, 0]
    direction /= np.linalg.norm(direction)
    out, away, _ = at_goal(
        clip.cut(0, 0), rig, limb="left hand", meets="joint", point=tuple((placed[0, root] + reach * direction).tolist()),
        turn=(30.0, 20.0, 10.0), direction="as set",
    )  # fmt: skip
    assert away.max() < 1e-4
    # The law of cosines gives the angle at the elbow.
    a, b, c = (out.model[1][0, j] for j in (root, middle, end))
    cosine = (a - b) @ (c - b) / (np.linalg.norm(a - b) * np.linalg.norm(c - b))
    assert cosine == pytest.approx((upper**2 + lower**2 - reach**2) / (2 * upper * lower), abs=1e-6)
    wanted = quat.multiply(turn_of((30.0, 20.0, 10.0)), rig.neutral.rest_model[0][end])
    assert np.degrees(quat.angle(quat.multiply(out.model[0][0, end], quat.conjugate(wanted)))) < 0.1
    lengths = np.linalg.norm(np.diff(out.model[1][0, [root, middle, end]], axis=0), axis=1)
    assert np.allclose(lengths, [upper, lower], atol=1e-9)


def test_out_of_reach_the_arm_points_straight_at_the_goal_and_it_is_found(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    step = make("reach", limb="right hand", meets="joint", point=(-3.0, 1.4, 1.0))
    out = apply(step, clip, rig, context=Context())
    root, _, end = rig.limb("right hand")
    arm, goal = out.model[1][:, end] - out.model[1][:, root], np.array([-3.0, 1.4, 1.0]) - out.model[1][:, root]
    angle = np.arccos(
        np.clip(np.sum(arm * goal, axis=1) / np.linalg.norm(arm, axis=1) / np.linalg.norm(goal, axis=1), -1, 1)
    )
    assert np.degrees(angle).max() < 0.1
    (found,) = [f for f in findings(out, rig, EMPTY, (step,)) if f.kind == "goal"]
    assert found.size > 100 and found.unit == "cm" and found.frames == (0, clip.frames - 1)
    near = np.linspace(0.6, 1.2, 200)[:, None] * [1.0, 0.0, 0.0]
    reached = ik.middle(np.zeros((200, 3)), near, 0.5, 0.5, np.tile([0.0, 0.0, 1.0], (200, 1)), softness=0.02)[1][:, 0]
    assert np.all(np.diff(reached) >= 0) and np.diff(reached, n=2).min() > -0.003, "it slows down, it does not snap"


def test_reach_hold_let_go(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    point = near_hand(clip, rig, "left hand", (0.05, 0.15, 0.2))
    reaches = [{"start": 20, "at": 40, "until": 80, "end": 100}]
    out, away, weight = at_goal(clip, rig, limb="left hand", point=point, spans=reaches)
    assert away[40:81].max() < 1e-4 and weight[30] == pytest.approx(0.5)
    assert np.array_equal(out.rotations[:20], clip.rotations[:20]) and np.array_equal(
        out.rotations[101:], clip.rotations[101:]
    )
    moved = np.linalg.norm(out.model[1][:, rig.joint("left hand")] - clip.model[1][:, rig.joint("left hand")], axis=1)
    assert np.abs(np.diff(moved, n=2)).max() < 0.006, "no jump where it begins and ends"
    two = weight_of((ActiveSpan(0, 0, 4, 8), ActiveSpan(20, 24, 30, 30)), 40)
    assert two[0] == 1 and two[10] == 0 and two[27] == 1 and two[31] == 0
    with pytest.raises(RecipeError, match="do not rise"):
        make("reach", spans=[{"start": 9, "at": 3, "until": 4, "end": 5}])


def test_one_hand_holds_what_the_other_carries(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["rope haul"], deckhand_rig
    right = rig.skeleton.names[rig.joint("right hand")]
    rope = Prop("rope", "cylinder", (0.04, 0.3, 0.04), near_hand(clip, rig, "right hand", (0.0, 0.0, 0.0)),
                grips=(Grip("end", (0.0, 0.1, 0.05)),), holds=(Carrying(right, 0),))  # fmt: skip
    stage = Stage((rope,))
    out, away, _ = at_goal(
        clip, rig, stage, limb="left hand", to="grip", prop="rope", grip="end", direction="kept to the target"
    )
    assert away.max() < 1e-4
    target = grip_track(rope, "end", out)[0]
    held = quat.multiply(quat.conjugate(target), out.model[0][:, rig.joint("left hand")])
    assert np.degrees(quat.angle(quat.multiply(held, quat.conjugate(held[0])))).max() < 0.1
    other, away, _ = at_goal(
        clip, rig, limb="left hand", to="joint", joint=right, offset=(8.0, 0.0, 0.0), meets="joint"
    )
    apart = other.model[1][:, rig.joint("left hand")] - other.model[1][:, rig.joint("right hand")]
    assert away.max() < 1e-4 and np.linalg.norm(apart, axis=1) == pytest.approx(0.08, abs=1e-4)


def test_the_head_looks_and_neck_and_spine_share_it(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    out, away, _ = at_goal(clip, rig, limb="head", point=(0.8, 1.3, 2.0))
    assert np.degrees(away).max() < 0.1
    chest = rig.skeleton.index["chest"]
    turned = np.degrees(quat.angle(quat.multiply(out.model[0][:, chest], quat.conjugate(clip.model[0][:, chest]))))
    head = rig.joint("head")
    whole = np.degrees(quat.angle(quat.multiply(out.model[0][:, head], quat.conjugate(clip.model[0][:, head]))))
    assert turned / whole == pytest.approx(0.15, abs=0.02)
    behind, away, _ = at_goal(clip, rig, limb="head", point=(0.3, 1.5, -3.0), most=60.0)
    turn = quat.multiply(behind.model[0][:, head], quat.conjugate(clip.model[0][:, head]))
    assert np.degrees(quat.angle(turn)).max() < 61, "no further than is said"


def test_the_later_of_two_goals_wins_and_targets_may_have_keys(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    a = near_hand(clip, rig, "left hand", (0.0, 0.2, 0.1))
    keys = [{"frame": 0, "place": a}, {"frame": 100, "place": (a[0], a[1] + 0.1, a[2])}]
    first = make("reach", "one", limb="left hand", point=near_hand(clip, rig, "left hand", (0.1, 0.1, 0.2)))
    second = make("reach", "two", limb="left hand", to="keyed", keys=keys)
    done = evaluate(Take("t", Source("f", "c"), (first, second)), clip, rig)
    away, _ = distance(done.result, rig, second.settings, EMPTY)
    assert away.max() < 1e-4
    assert not [f for f in findings(done.result, rig, EMPTY, (first, second)) if f.kind == "goal"]
    assert [f for f in findings(done.result, rig, EMPTY, (first,)) if f.kind == "goal"]


def test_a_goal_that_means_nothing_is_refused(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    for said, why in (
        ({"limb": "third hand"}, "no 'third hand'"), ({"to": "grip", "prop": "oar"}, "no prop 'oar'"),
        ({"to": "grip"}, "no prop is chosen"),
        ({"to": "joint", "joint": "gone"}, "no joint 'gone'"), ({"limb": "chest"}, "neither a limb nor a chain"),
    ):  # fmt: skip
        with pytest.raises(RecipeError, match=why):
            at_goal(clip, rig, **said)
    with pytest.raises(RecipeError, match="no grip"):
        at_goal(clip, rig, Stage((PRESETS["crate"](),)), to="grip", prop="crate", grip="handle")
    inside = near_hand(clip, rig, "pelvis", (0.0, 0.2, 0.0))
    assert np.isfinite(at_goal(clip, rig, limb="left hand", point=inside)[0].model[1]).all(), "a goal inside the body"
    shoulder = tuple(clip.model[1][0, rig.limb("left hand")[0]].tolist())
    assert np.isfinite(at_goal(clip.cut(0, 0), rig, limb="left hand", point=shoulder, meets="joint")[0].model[1]).all()


# Keep in the world ----------------------------------------------------------------------------------------------


def kept(before: Clip, after: Clip, rig: Rig, **said: object) -> Clip:
    around = Context(earlier=(Point(SOURCE, "source", before, rig), Point("a", "turned", after, rig)))
    return apply(make("pin", **said), after, rig, context=around)


def test_feet_stay_while_the_figure_turns_above_them(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    turned = np.array(clip.rotations)
    pelvis = rig.joint("pelvis")
    turned[:, pelvis] = quat.multiply(quat.about(1, np.radians(45)), turned[:, pelvis])
    other = clip.with_motion(turned, clip.translations)
    out = kept(clip, other, rig)
    for side in ("left", "right"):
        j = rig.joint(f"{side} foot")
        assert np.linalg.norm(out.model[1][:, j] - clip.model[1][:, j], axis=-1).max() < 1e-4
        off = quat.multiply(out.model[0][:, j], quat.conjugate(clip.model[0][:, j]))
        assert np.degrees(quat.angle(off)).max() < 1e-6
        assert np.linalg.norm(other.model[1][:, j] - clip.model[1][:, j], axis=-1).max() > 0.05
    head = kept(clip, other, rig, joints=("head",))
    j = rig.joint("head")
    assert np.degrees(quat.angle(quat.multiply(head.model[0][:, j], quat.conjugate(clip.model[0][:, j])))).max() < 1e-6
    some = kept(clip, other, rig, when=[{"start": 10, "at": 20, "until": 30, "end": 40}])
    assert np.array_equal(some.rotations[50:], other.rotations[50:])


def test_what_is_kept_to_is_named_followed_and_checked(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    lean = make("root-motion", "Turn", operation="turn and scale", angle=10)
    more = make("root-motion", "Turn more", operation="turn and scale", angle=5)
    keep = make("pin", "Feet", since=lean.id)
    cache = Cache()
    done = evaluate(Take("t", Source("f", "c"), (lean, more, keep)), clip, rig, Surroundings(cache=cache))
    j = rig.joint("left foot")
    assert np.linalg.norm(done.result.model[1][:, j] - clip.model[1][:, j], axis=-1).max() < 1e-4
    plain = msgspec.structs.replace(keep, settings=make("pin").settings)
    other = evaluate(Take("t", Source("f", "c"), (lean, more, plain)), clip, rig, Surroundings(cache=cache))
    assert np.linalg.norm(other.result.model[1][:, j] - done.clips[1].model[1][:, j], axis=-1).max() < 1e-4
    take = Take("t", Source("f", "c"), (lean, more, keep))
    named = with_step(take, msgspec.structs.replace(lean, name="Turn a little"))
    assert named.steps[0].name == "Turn a little" and named.steps[2].settings.since == named.steps[0].id
    again = evaluate(named, clip, rig, Surroundings(cache=cache))
    assert again.result is done.result, "a new name changes nothing"
    by_name = settled((lean, more, msgspec.structs.replace(keep, settings=make("pin", since="Turn").settings)))
    assert by_name[2].settings.since == lean.id, "people say names"
    with pytest.raises(RecipeError, match="no step before this one is called"):
        evaluate(Take("t", Source("f", "c"), (lean, make("pin", since="Gone"))), clip, rig)


# The stage -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", [1, 2])
def test_the_model_space_that_a_step_gives_along_is_that_of_its_clip(seed, deckhand_clips, deckhand_rig) -> None:
    clip, rig = walked(seed, deckhand_clips["walk"], deckhand_rig)
    turned = apply(make("root-motion", operation="turn and scale", angle=5), clip, rig)
    around = Context(earlier=(Point(SOURCE, "source", clip, rig), Point("a", "turned", turned, rig)))
    for step in (
        make("foot-lock"), make("reach", point=(0.3, 1.2, 0.4)), make("reach", limb="head", point=(1.0, 1.0, 2.0)),
        make("pin", joints=("left hand", "head")), make("root-motion", operation="along path", path=[(0, 0), (1, 1)]),
    ):  # fmt: skip
        out = apply(step, turned, rig, context=around)
        anew = replace(out, name="the same, computed anew").model
        assert np.abs(anew[1] - out.model[1]).max() < 1e-9, step.kind
        assert np.abs(np.abs(np.sum(anew[0] * out.model[0], axis=-1)) - 1).max() < 1e-9, step.kind


# With takes and projects ----------------------------------------------------------------------------------------


def test_a_changed_stage_computes_anew_what_reads_it_and_nothing_else(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["step up"], deckhand_rig
    steps = (make("mirror"), make("foot-lock"), make("follow-through", chain="neck"))
    cache = Cache()
    bare = evaluate(Take("t", Source("f", "c"), steps), clip, rig, Surroundings(cache=cache))
    jetty = evaluate(
        Take("t", Source("f", "c"), steps, stage=Stage((PRESETS["jetty step"](),))),
        clip,
        rig,
        Surroundings(cache=cache),
    )
    assert jetty.clips[1] is bare.clips[1], "the mirror does not look at the stage"
    assert np.abs(jetty.clips[2].model[1] - bare.clips[2].model[1]).max() > 0.01
    again = evaluate(Take("t", Source("f", "c"), steps), clip, rig, Surroundings(cache=cache))
    assert again.result is bare.result


def test_a_step_that_cannot_be_run_is_passed_over_where_that_is_asked_for(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    steps = (make("mirror"), make("reach", to="grip", prop="oar"), make("mirror"))
    done = evaluate(Take("t", Source("f", "c"), steps), clip, rig, lenient=True)
    assert list(done.refused) == [steps[1].id] and "no prop 'oar'" in str(done.refused[steps[1].id])
    assert done.clips[2] is done.clips[1] and np.abs(done.result.model[1] - clip.model[1]).max() < 1e-6
    with pytest.raises(RecipeError, match="oar"):
        evaluate(Take("t", Source("f", "c"), steps), clip, rig)


def test_a_prop_that_is_called_otherwise_keeps_its_goals() -> None:
    stage = Stage((PRESETS["crate"](),))
    take = Take(
        "t",
        Source("f", "c"),
        (make("reach", to="grip", prop="crate"), make("reach", to="grip", prop="rail")),
        stage=stage,
    )
    new = with_prop(take, "crate", msgspec.structs.replace(stage.props[0], name="box of nets"))
    assert new.steps[0].settings.prop == "box of nets" and new.steps[1].settings.prop == "rail"
    assert [p.name for p in new.stage.props] == ["box of nets"]
    with pytest.raises(ValueError, match="two props"):
        Stage((PRESETS["crate"](), PRESETS["crate"]()))


def test_an_eye_looks_alone_and_the_head_stays() -> None:
    rig = rigs.rig(4)
    s = rig.skeleton
    head = rig.joint("head")
    eye = Skeleton(
        (*s.names, "eye_l"), np.append(s.parents, head), np.concatenate([s.rest_rotations, [[0, 0, 0, 1.0]]]),
        np.concatenate([s.rest_translations, [[0.03, 0.05, 0.08]]]),
    )  # fmt: skip
    seeing = analyse(eye)
    clip = rest_clip(eye)
    at = clip.model[1][0, -1] + seeing.facing + [0.3, 0.1, 0.0]
    out, away, _ = at_goal(clip, seeing, limb="eye_l", point=tuple(at.tolist()))
    assert np.degrees(away).max() < 0.1
    assert np.array_equal(out.rotations[:, : len(s)], clip.rotations[:, : len(s)])

"""Spans: found, edited, held on ground and props."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline

from reflexa.checks import findings, measured
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import stances
from reflexa.motion.clip import Clip
from reflexa.motion.eases import eased
from reflexa.rig import Rig
from reflexa.rig.limbs import hinges
from reflexa.rig.soles import soles
from reflexa.stage import EMPTY, Prop, Stage
from reflexa.steps import apply, make
from reflexa.steps.foot_lock import Contact, FootLockSettings, contacts_of
from reflexa.steps.foot_lock import find as edits
from reflexa.steps.foot_lock.report import added_acceleration, held
from reflexa.steps.model import SOURCE, Context, Point
from tests.helpers import rigs
from tests.helpers.files import DATA
from tests.helpers.walks import root_motion, walked

WALK = DATA / "humanoid3d_walk.bvh"


def repaired(clip: Clip, rig: Rig, source: Clip | None = None, stage: Stage = EMPTY, **said: object):
    """The clip with its contacts held, and the contacts."""
    step = make("foot-lock", **said)
    around = Context(stage=stage, earlier=(Point(SOURCE, "source", clip if source is None else source, rig),))
    return apply(step, clip, rig, context=around), contacts_of(clip, rig, step.settings, around)


def knee_sides(clip: Clip, rig: Rig) -> dict[str, np.ndarray]:
    """The mean axis that each knee bends about."""
    mean = {side: hinges(clip, rig, f"{side} foot").mean(axis=0) for side in ("left", "right")}
    return {side: v / np.linalg.norm(v) for side, v in mean.items()}


def bone_lengths(clip: Clip, rig: Rig) -> np.ndarray:
    body = [j for j in rig.skeleton.below(rig.joint("pelvis")) if j != rig.joint("pelvis")]
    return np.linalg.norm(clip.model[1][:, body] - clip.model[1][:, clip.skeleton.parents[body]], axis=-1)


CURVE = [(0.0, 0.0), (0.15, 0.5), (0.5, 0.9), (0.9, 1.1)]


@pytest.mark.parametrize("pace", [(), ((0.0, 1.0), (0.5, 1.25), (1.0, 0.9))])
@pytest.mark.parametrize("seed", [0, 2, 5])
def test_a_walk_along_a_curve_with_changing_speed_comes_out_with_its_feet_locked(
    seed, pace, deckhand_clips, deckhand_rig, capsys
) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    if seed:
        clip, rig = walked(seed, clip, deckhand_rig)
    bent = apply(root_motion("along path", path=CURVE, walked="to its end", pace=pace), clip, rig)
    sliding = measured(bent, rig)["slide"].size
    out, contacts = repaired(bent, rig, clip, look_at="the source")
    assert len(contacts) >= 3 and sliding > 1.0
    for p in contacts:
        got = held(out, rig, p, EMPTY)
        assert got.drift < 0.1 and got.depth < 1.0, (p, got)
    assert np.abs(bone_lengths(out, rig) - bone_lengths(bent, rig)).max() < 1e-9, "bone lengths stay"
    for side, way in knee_sides(out, rig).items():
        assert way @ knee_sides(clip, rig)[side] > 0.5, "no knee flips"
    added = added_acceleration(bent, out, rig, contacts)
    with capsys.disabled():
        print(f"\n  added acceleration at the ends of contacts: {added:.1f} m/s²", end="")
    assert added < 60, "a foot that lands brakes about as hard; more would be seen"


def test_the_shared_walk_stands_still_and_on_the_ground() -> None:
    document = read(WALK)
    clip, rig = document.clips[0], document.rig
    out, contacts = repaired(clip, rig)
    assert [(p.limb, p.first, p.last) for p in contacts] == [("right foot", 0, 21), ("left foot", 20, 38)]
    before = [held(clip, rig, p, EMPTY) for p in contacts]
    after = [held(out, rig, p, EMPTY) for p in contacts]
    assert min(b.drift for b in before) > 10 and max(a.drift for a in after) < 0.1
    assert max(abs(a.over) for a in after) < 1.0 and measured(out, rig)["slide"].size < 0.01


@pytest.mark.parametrize("file", ["01_01_cut.bvh", "boxing_cut.bvh"])
def test_captured_feet_stand_still_and_no_part_of_a_sole_goes_into_the_ground(file) -> None:
    # Motion capture from outside: tests/data/SOURCES.md.
    document = read(DATA / file)
    clip, rig = document.clips[0], document.rig
    out, contacts = repaired(clip, rig)
    assert len(contacts) >= 2
    for p in contacts:
        got = held(out, rig, p, EMPTY)
        assert got.drift < 0.1 and got.depth < 1.0, (p, got)
    assert np.abs(bone_lengths(out, rig) - bone_lengths(clip, rig)).max() < 1e-9


def test_nothing_slips_where_nothing_slipped_and_what_is_off_stays(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["walk"]
    once, contacts = repaired(clip, deckhand_rig)
    twice, _ = repaired(once, deckhand_rig, find=False, contacts=contacts)
    assert np.abs(twice.model[1] - once.model[1]).max() < 1e-4
    off = tuple(msgspec.structs.replace(p, on=False) for p in contacts)
    same, _ = repaired(clip, deckhand_rig, find=False, contacts=off, level=False)
    assert same is clip
    swing = 26  # the left foot swings, the right one stands: what is not planted is not touched
    one, _ = repaired(
        clip, deckhand_rig, find=False, contacts=(Contact("left foot", 2, 10),), level=False, ease_in=3, ease_out=3
    )
    assert np.array_equal(one.rotations[swing], clip.rotations[swing])


def test_plants_are_found_with_hysteresis(deckhand_rig) -> None:
    height = np.array([0.2, 0.09, 0.05, 0.02, 0.02, 0.05, 0.09, 0.2, 0.05, 0.2])
    slow = np.zeros(10)
    spans = stances.spans(stances.standing(height, slow, low=0.06, slow=1.0, slack=1.6, least=3))
    assert spans == [(1, 6)], (
        "it begins below the threshold, goes on up to 1.6 of it, and a single frame does not count"
    )
    fast = np.where(np.arange(10) < 4, 3.0, 0.0)
    assert stances.spans(stances.standing(height, fast, 0.06, 1.0, least=3)) == [(4, 6)]
    assert stances.spans(stances.standing(height, slow, low=0.0, slow=1.0)) == []


def test_a_clip_made_on_the_spot_is_not_glued_down_but_planted_once_it_travels(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk on the spot"], deckhand_rig
    same, none = repaired(clip, rig, level=False)
    assert same is clip and not none
    travels = apply(root_motion("from feet"), clip, rig)
    for said in ({}, {"look_at": "the source"}):
        out, contacts = repaired(travels, rig, clip, **said)
        assert len(contacts) >= 3 and max(held(out, rig, p, EMPTY).drift for p in contacts) < 0.1


@pytest.mark.parametrize("hold", ["mean", "first", "last"])
def test_where_a_foot_is_held(hold, deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    root = rig.joint("root")
    sliding = np.array(clip.translations)
    sliding[:, root, 0] += np.linspace(0, 0.10, clip.frames)
    skates = clip.with_motion(clip.rotations, sliding)
    contacts = (Contact("left foot", 20, 60),)
    out, _ = repaired(skates, rig, find=False, contacts=contacts, hold=hold)
    sole = soles(rig)["left"]
    was, now = sole.points(*skates.model)[1], sole.points(*out.model)[1]
    wanted = {"mean": was[20:61, 0].mean(), "first": was[20, 0], "last": was[60, 0]}[hold]
    assert now[20:61, 0] == pytest.approx(wanted, abs=1e-4)
    picked, _ = repaired(skates, rig, find=False, contacts=(Contact("left foot", 20, 60, place=(0.2, 0.0, 0.1)),))
    assert np.allclose(sole.points(*picked.model)[1][40], [0.2, 0.0, 0.1], atol=1e-4)


def test_a_foot_stands_on_a_prop_and_lies_along_a_ramp(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    crate = Prop("crate", "box", (0.6, 0.12, 0.6), (-0.3, 0.0, 0.0))
    contacts = (Contact("right foot", 30, 90),)
    out, _ = repaired(clip, rig, stage=Stage((crate,)), find=False, contacts=contacts, level=False)
    got = held(out, rig, contacts[0], Stage((crate,)))
    assert got.drift < 0.1 and got.depth < 1 and abs(got.over) < 1
    sole = soles(rig)["right"]
    assert sole.points(*out.model)[0][60, 1] == pytest.approx(0.12, abs=1e-3)
    ramp = Prop("slipway", "ramp", (3.0, 0.3, 3.0))  # rises 0.1 a metre towards +z
    out, _ = repaired(clip, rig, stage=Stage((ramp,)), find=False, contacts=contacts, level=False)
    heel, ball = (p[60] for p in sole.points(*out.model))
    assert (ball - heel)[1] / (ball - heel)[2] == pytest.approx(0.1, abs=0.01)
    assert heel[1] == pytest.approx((heel[2] + 1.5) * 0.1, abs=1e-3)


def test_stepping_up_onto_the_jetty_is_planted_where_the_step_is(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["step up"], deckhand_rig
    jetty = Stage((Prop("jetty step", "box", (1.6, 0.45, 1.0), (0.0, 0.0, 0.8)),))
    out, contacts = repaired(clip, rig, stage=jetty)
    up = [p for p in contacts if p.last == clip.frames - 1]
    assert {p.limb for p in up} == {"left foot", "right foot"}
    for p in contacts:
        got = held(out, rig, p, jetty)
        assert got.drift < 0.1 and got.depth < 1 and abs(got.over) < 1
    assert not [f for f in findings(out, rig, jetty) if f.kind in ("slide", "penetration", "float")]
    assert any("there is no prop under it" in f.text for f in findings(out, rig)), (
        "without the step nobody knows what it stands on"
    )


def test_a_clip_that_hovers_is_put_down_as_a_whole(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    up = np.array(clip.translations)
    up[:, rig.joint("root"), 1] += 0.06
    out, contacts = repaired(clip.with_motion(clip.rotations, up), rig)
    plain, there = repaired(clip, rig)
    assert [(p.limb, p.first, p.last) for p in contacts] == [(p.limb, p.first, p.last) for p in there] and len(
        contacts
    ) >= 3
    # The body is where it is when the clip had not hovered; the root is as high as it was.
    moving = rig.skeleton.below(rig.joint("pelvis"))
    assert np.abs(out.model[1][:, moving] - plain.model[1][:, moving]).max() < 2e-3


def test_a_change_is_led_in_and_out_as_a_hermite_curve_of_scipy() -> None:
    values = np.full((40, 3), np.nan)
    values[10:15] = np.linspace(1, 2, 5)[:, None] * [1.0, -1.0, 0.5]
    values[30:33] = [0.3, 0.1, 0.2]
    out = eased(values, 6, 5)
    slope = 0.25 * np.array([1.0, -1.0, 0.5])
    into = CubicHermiteSpline([4, 10], [np.zeros(3), values[10]], [np.zeros(3), slope])
    away = CubicHermiteSpline([14, 19], [values[14], np.zeros(3)], [slope, np.zeros(3)])
    assert np.allclose(out[4:10], into(np.arange(4, 10)), atol=1e-12)
    assert np.allclose(out[15:19], away(np.arange(15, 19)), atol=1e-12)
    assert not out[:4].any() and not out[19:24].any() and np.array_equal(out[10:15], values[10:15])
    close = eased(values, 12, 12)
    bridge = CubicHermiteSpline([14, 30], [values[14], values[30]], [slope, np.zeros(3)])
    assert np.allclose(close[15:30], bridge(np.arange(15, 30)), atol=1e-12), (
        "two contacts close by: straight from one to the next"
    )


def test_hands_are_planted_on_what_they_are_near(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["lantern idle"], deckhand_rig
    hand = clip.model[1][70, rig.joint("left hand")]
    rail = Prop("rail", "box", (0.1, 0.1, 0.1), (float(hand[0]), float(hand[1]) - 0.1, float(hand[2])), surface=False)
    out, contacts = repaired(clip, rig, stage=Stage((rail,)), hands=True)
    assert any(p.limb == "left hand" for p in contacts) and not any(p.limb == "right hand" for p in contacts)
    span = next(p for p in contacts if p.limb == "left hand")
    track = out.model[1][span.first : span.last + 1, rig.joint("left hand")]
    assert np.ptp(track, axis=0).max() < 1e-4
    assert not any(p.limb.endswith("hand") for p in repaired(clip, rig, hands=True)[1]), "nothing is near"


def test_plants_are_edited_as_spans() -> None:
    contacts = (Contact("left foot", 2, 10), Contact("right foot", 8, 20), Contact("left foot", 15, 30, heel_up=25))
    longer = edits.with_ends(contacts, 0, 0, 40, 50)
    assert (longer[0].first, longer[0].last) == (0, 14), "no further than the next of the same foot"
    a, b = (p for p in edits.split(contacts, 2, 20) if p.limb == "left foot" and p.first >= 15)
    assert (a.first, a.last, b.first, b.last, b.heel_up) == (15, 19, 21, 30, 25)
    joined = edits.joined(contacts, 0)
    assert len(joined) == 2 and next(p for p in joined if p.limb == "left foot").last == 30
    assert edits.added(contacts, "left foot", 5, 50) == contacts, "there is one already"
    new = next(p for p in edits.added(contacts, "left foot", 40, 50) if p.first > 30)
    assert new.first == 34 and new.last <= 49
    rolled = edits.with_roll(contacts, 0, ball_down=4, heel_up=99)[0]
    assert rolled.ball_from == 4 and rolled.heel_to == 10 and rolled.heel_up is None
    assert edits.split(contacts, 0, 2) == contacts and edits.joined(contacts, 2) == contacts


def test_bad_plants_are_refused_or_put_up_with(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    with pytest.raises(RecipeError, match="before it begins"):
        make("foot-lock", contacts=[{"limb": "left foot", "first": 9, "last": 3}])
    with pytest.raises(RecipeError, match="nose"):
        make("foot-lock", contacts=[{"limb": "nose", "first": 1, "last": 3}])
    legless = rigs.rig(3, drop=("foot", "toes"))
    with pytest.raises(RecipeError, match="there is nothing to hold"):
        repaired(rigs.clip(legless, 1), legless)
    whole, _ = repaired(clip, rig, find=False, contacts=(Contact("left foot", 0, 999),))
    assert held(whole, rig, Contact("left foot", 0, clip.frames - 1), EMPTY).frame < clip.frames, "cut to the clip"
    beyond, none = repaired(clip, rig, find=False, contacts=(Contact("left foot", 500, 999),), level=False)
    assert beyond is clip and not none
    one = clip.cut(3, 3)
    assert np.isfinite(repaired(one, rig, find=False, contacts=(Contact("left foot", 0, 0),))[0].model[1]).all()
    assert FootLockSettings().eases(120) == (24, 24) and FootLockSettings(ease_in=3).eases(30)[0] == 3

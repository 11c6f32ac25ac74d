"""Root motion and the ground under it, on the demo's clips, the shared walk and rigs of any axes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from reflexa.checks import findings, measured
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import quat, travel
from reflexa.motion.cycle import repeated
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps import Given, apply, make, outcome
from reflexa.steps.root_motion import report, track_of, travel_of
from tests.helpers import rigs
from tests.helpers.files import DATA
from tests.helpers.walks import root_motion, walked

WALK = DATA / "humanoid3d_walk.bvh"


def others(rig: Rig) -> list[int]:
    return [j for j in range(len(rig.skeleton)) if j != rig.joint("root")]


@pytest.mark.parametrize("line", ["exact", "smoothed", "straight"])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_taken_from_the_pelvis_and_handed_back_nothing_moved(line, seed, deckhand_clips, deckhand_rig) -> None:
    clip, rig = walked(seed, deckhand_clips["walk"], deckhand_rig)
    taken = apply(root_motion("from pelvis", line=line, height=True), clip, rig)
    assert np.abs(taken.model[1][:, others(rig)] - clip.model[1][:, others(rig)]).max() < 1e-6
    root, pelvis = rig.joint("root"), rig.joint("pelvis")
    if line == "exact":
        beside = taken.model[1][:, root] - taken.model[1][:, pelvis]
        assert np.ptp(np.linalg.norm(beside[:, [0, 2]], axis=-1)) < 1e-9
    if line == "straight":
        assert np.abs(np.diff(taken.model[1][:, root], n=2, axis=0)[:, [0, 2]]).max() < 1e-9
    back = apply(root_motion("hand back", height=True), taken, rig)
    assert np.abs(back.model[1][:, others(rig)] - clip.model[1][:, others(rig)]).max() < 1e-6
    assert np.ptp(back.model[1][:, root], axis=0).max() < 1e-12
    # What was not asked for stays: without the heading the root keeps its own.
    plain = apply(root_motion("from pelvis", line=line, turn=False), clip, rig)
    assert np.abs(track_of(plain, rig, root).heading - track_of(clip, rig, root).heading).max() < 1e-9


def test_a_walk_on_the_spot_gets_its_speed_back_from_its_feet(deckhand_clips, deckhand_rig) -> None:
    # The figure was walked at 1.28 m/s before it was put on the spot: demo/clips.py.
    given = apply(root_motion("from feet"), deckhand_clips["walk on the spot"], deckhand_rig)
    said = report(given, deckhand_rig)
    assert said.average == pytest.approx(1.28, rel=1e-3)
    flat = [f.heel_stands & f.ball_stands for f in footing(given, deckhand_rig).values()]
    assert any(f.any() for f in flat) and all(s.slide < 1.0 for s in said.stances), "a standing foot drifts under 1 mm"
    assert max(s.linear for s in said.stances) < 4.0
    assert all(s.speed == pytest.approx(1.28, rel=0.01) for s in said.stances), "each stance says the same"
    steady = apply(root_motion("from feet", steady=True), deckhand_clips["walk on the spot"], deckhand_rig)
    way = steady.model[1][:, deckhand_rig.joint("root"), 2]
    assert np.abs(np.diff(way, n=2)).max() < 1e-9


@pytest.mark.parametrize("seed", [1, 4, 7])
def test_speed_from_feet_on_any_rig(seed, deckhand_clips, deckhand_rig) -> None:
    clip, rig = walked(seed, deckhand_clips["walk"], deckhand_rig)
    speed = report(clip, rig).average
    spot = apply(root_motion("in place"), clip, rig)
    assert np.ptp(spot.model[1][:, rig.joint("root")], axis=0).max() < 1e-9
    assert report(apply(root_motion("from feet"), spot, rig), rig).average == pytest.approx(speed, rel=0.04)


def test_a_run_in_place_gets_its_speed_and_its_way_back_from_its_feet() -> None:
    """Of a capture that is in the air a third of the time (tests/data/SOURCES.md): it does not turn in the air."""
    document = read(DATA / "humanoid3d_run.bvh")
    done = outcome(make("root-joint", called="ground"), Given(document.clips[0], document.rig))
    clip, rig = done.clip, done.rig
    spot = apply(root_motion("in place"), clip, rig)
    again = apply(root_motion("from feet"), spot, rig)
    gone = [np.linalg.norm((c.model[1][-1] - c.model[1][0])[rig.joint("pelvis"), [0, 2]]) for c in (clip, again)]
    assert gone[1] == pytest.approx(gone[0], rel=0.1)


def test_the_shared_walk_keeps_its_speed_within_seven_percent() -> None:
    # PyBullet's humanoid walk (tests/data/SOURCES.md): a cycle of 38 frames at 30 a second, 0.978 m/s.
    document = read(WALK)
    clip, rig = document.clips[0], document.rig
    assert clip.frames == 39
    spot = apply(root_motion("in place", line="straight"), clip, rig)
    assert report(spot, rig).average < 0.15, "what is left sways"
    said = report(apply(root_motion("from feet", turn=False), spot, rig), rig)
    # How thick its soles are is not known: taken by proportion, which makes it 6 % faster.
    assert said.average == pytest.approx(0.978, rel=0.07)
    assert 0.3 < max(s.linear for s in said.stances) < 30.0, "its ankles roll in stance, and the report says so"


def test_the_demo_walk_has_the_timing_of_a_walk(deckhand_clips, deckhand_rig) -> None:
    # Perry & Burnfield, Gait Analysis (2nd ed., 2010): stance about 60 % of the cycle, double support about 10 % twice.
    clip = deckhand_clips["walk"]
    stands = {side: f.stands[:-1] for side, f in footing(clip, deckhand_rig).items()}
    for s in stands.values():
        assert 100 * s.mean() == pytest.approx(60, abs=4)
    both = stands["left"] & stands["right"]
    edges = np.flatnonzero(np.diff(np.concatenate([both[-1:], both]).astype(int)) == 1)
    assert len(edges) == 2, "two double supports"
    assert 100 * both.mean() / 2 == pytest.approx(10, abs=3)


def test_turned_scaled_locked_and_put_to_the_origin(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    root = rig.joint("root")
    quarter = apply(root_motion("turn and scale", angle=90, scale=2), clip, rig)
    assert np.allclose(quarter.model[1][-1, root], [2 * clip.model[1][-1, root, 2], 0, 0], atol=1e-9)
    # The pose is carried along, not changed: every joint stands to the root as before.
    for c in (clip, quarter):
        c.__dict__["beside"] = quat.rotate(
            quat.conjugate(c.model[0][:, root])[:, None], c.model[1] - c.model[1][:, root, None]
        )
    assert np.abs(quarter.__dict__["beside"] - clip.__dict__["beside"]).max() < 1e-9
    aside = apply(root_motion("turn and scale", angle=37), clip, rig)
    moved = np.array(aside.translations)
    moved[:, root] += [3.0, 0.0, -2.0]
    home = apply(root_motion("to origin"), aside.with_motion(aside.rotations, moved), rig)
    assert np.abs(home.model[1] - clip.model[1]).max() < 1e-9
    locked = apply(root_motion("lock", x=False, z=True), clip, rig)
    assert np.ptp(locked.model[1][:, root], axis=0).max() < 1e-9
    upright = apply(root_motion("lock", x=False, z=False, heading=True), quarter, rig)
    assert np.ptp(track_of(upright, rig, root).heading) < 1e-9
    ends = apply(root_motion("remove drift"), clip, rig).model
    assert np.abs(ends[1][-1] - ends[1][0]).max() < 1e-6, "a loop without travel ends where it began"


def test_the_drift_of_the_heading_and_of_the_side_alone(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    root = rig.joint("root")
    bent = np.array(clip.rotations)
    bent[:, root] = quat.multiply(travel.yaw(np.linspace(0, 0.3, clip.frames)), bent[:, root])
    aside = np.array(clip.translations)
    aside[:, root, 0] += np.linspace(0, 0.2, clip.frames)
    drifting = clip.with_motion(bent, aside)
    assert measured(drifting, rig)["drift"].size == pytest.approx(20, abs=2)
    assert any(f.kind == "root-drift" for f in findings(drifting, rig))
    straight = travel_of(apply(root_motion("remove drift", drift="heading"), drifting, rig), rig)
    assert abs(straight.heading[-1] - straight.heading[0]) < 1e-9
    sideways = travel_of(apply(root_motion("remove drift", drift="sideways"), drifting, rig), rig)
    assert abs(sideways.place[-1, 0]) < 1e-9 and sideways.place[-1, 1] == pytest.approx(clip.model[1][-1, root, 2])


def test_along_a_path_with_a_pace(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    points = [(0.0, 0.0), (0.4, 0.6), (0.2, 1.2)]
    own = travel_of(apply(root_motion("along path", path=points), clip, rig), rig)
    step = np.linalg.norm(np.diff(own.place, axis=0), axis=1) * clip.rate
    assert step == pytest.approx(1.28, rel=0.01), "as far as it travels: its own speed along the path"
    whole = travel_of(
        apply(root_motion("along path", path=points, walked="to its end", pace=[(0, 1), (0.5, 3), (1, 1)]), clip, rig),
        rig,
    )
    assert np.allclose(whole.place[-1], points[-1], atol=1e-6)
    speed = np.linalg.norm(np.diff(whole.place, axis=0), axis=1)
    assert speed.argmax() in (15, 16) and speed.max() / speed.min() == pytest.approx(3, rel=0.12)
    ahead = np.stack([np.sin(whole.heading), np.cos(whole.heading)], axis=-1)[1:-1]
    way = whole.place[2:] - whole.place[:-2]
    assert np.sum(ahead * way, axis=1) / np.linalg.norm(way, axis=1) == pytest.approx(1, abs=2e-3), (
        "it faces where it goes"
    )


def test_who_walks_backwards_goes_on_doing_so_along_a_path(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    root = rig.joint("root")
    turned = np.array(clip.rotations)
    turned[:, root] = quat.multiply(travel.yaw(np.pi), turned[:, root])
    out = travel_of(
        apply(
            root_motion("along path", path=[(0, 0), (0.5, 0.8), (1.5, 1.0)]),
            clip.with_motion(turned, clip.translations),
            rig,
        ),
        rig,
    )
    way = np.gradient(out.place, axis=0)
    off = np.degrees(out.heading - np.unwrap(np.arctan2(way[:, 0], way[:, 1])))
    assert np.abs(np.mod(off, 360) - 180).max() < 4


@given(st.lists(st.tuples(st.floats(-5, 5), st.floats(-5, 5)), min_size=2, max_size=8))
@settings(max_examples=40, deadline=None)
def test_a_path_is_walked_by_its_length_crossing_itself_or_not(points) -> None:
    try:
        path = travel.Path(points)
    except ValueError:
        assert np.ptp(np.array(points), axis=0).max() < 1e-5
        return
    s = np.linspace(0, path.length, 2000)
    walked = np.linalg.norm(np.diff(path.at(s)[0], axis=0), axis=1)
    assert walked.sum() == pytest.approx(path.length, rel=1e-2)
    assert walked.max() < 1.6 * path.length / 1999 + 1e-9
    end, _ = path.at([path.length + 2.0])
    assert np.linalg.norm(end[0] - path.points[-1]) == pytest.approx(2.0, rel=1e-3)


def test_a_loop_goes_on_from_cycle_to_cycle(deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    root = rig.joint("root")
    bent = np.array(clip.rotations)
    bent[:, root] = quat.multiply(travel.yaw(np.linspace(0, 0.5, clip.frames)), bent[:, root])
    curved = clip.with_motion(bent, clip.translations)
    long = repeated(curved, rig.travel_joint, 4)
    assert long.frames == 4 * 32 + 1 and len(long.events) == 4 * len([e for e in clip.events if e.frame < 32])
    step = np.linalg.norm(np.diff(long.model[1][:, root], axis=0), axis=1)
    assert np.ptp(step) < 1e-6, "no jump at a seam"
    # Four cycles on, the heading has turned four times as far; SciPy's Rotation says the same.
    turn = Rotation.from_quat(long.rotations[-1, root]) * Rotation.from_quat(long.rotations[0, root]).inv()
    assert turn.magnitude() == pytest.approx(2.0, abs=1e-9)


def test_a_root_joint_is_added_and_nothing_else_moves() -> None:
    document = read(WALK)
    clip, rig = document.clips[0], document.rig
    assert rig.joint("root") < 0
    got = outcome(make("root-joint", called="motion"), Given(clip, rig))
    added, on = got.clip, got.rig
    assert on.skeleton.names[0] == "motion" and on.joint("root") == 0 and on.skeleton.names[1:] == rig.skeleton.names
    assert np.abs(added.model[1][:, 1:] - clip.model[1]).max() < 1e-9
    assert added.model[1][-1, 0, 2] - added.model[1][0, 0, 2] == pytest.approx(1.2386, abs=0.01)
    assert np.abs(added.model[1][:, 0, 1]).max() < 1e-9, "on the ground"
    with pytest.raises(RecipeError, match="already"):
        outcome(make("root-joint", called="other"), Given(added, on))
    with pytest.raises(RecipeError, match="has a joint"):
        outcome(make("root-joint", called=rig.skeleton.names[3]), Given(clip, rig))


def test_what_cannot_be_done_is_said(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    for path in ([], [(0.0, 0.0)], [(1.0, 1.0), (1.0, 1.0)]):
        with pytest.raises(RecipeError, match="two points in different places"):
            apply(root_motion("along path", path=path), walk, deckhand_rig)
    legless = rigs.rig(3, drop=("foot", "toes"))
    with pytest.raises(RecipeError, match="no feet"):
        apply(root_motion("from feet"), rigs.clip(legless, 1), legless)
    with pytest.raises(RecipeError, match="no root joint"):
        apply(root_motion("from pelvis"), rigs.clip(legless, 1), legless)
    one = walk.cut(4, 4)
    for step in (
        root_motion("in place"), root_motion("from pelvis"), root_motion("hand back"), root_motion("remove drift"),
        root_motion("along path", path=[(0, 0), (1, 1)]), root_motion("to origin"), root_motion("turn and scale", angle=90),
    ):  # fmt: skip
        assert np.isfinite(apply(step, one, deckhand_rig).model[1]).all()
    fast = np.array(walk.translations)
    fast[:, deckhand_rig.joint("root"), 2] *= 1e6
    huge = replace(walk, translations=fast)
    assert np.isfinite(apply(root_motion("in place"), huge, deckhand_rig).model[1]).all()
    assert report(huge, deckhand_rig).average > 1e5


def test_a_pace_that_runs_backwards_is_refused_with_its_place(deckhand_clips, deckhand_rig) -> None:
    pace = [[0.0, 1.0], [0.6, 2.0], [0.6, 1.0], [1.0, 1.0]]
    told = {"operation": "along path", "path": [[0, 0], [0, 2]], "walked": "to its end"}
    with pytest.raises(RecipeError, match="pace: the points of the pace are not in order"):
        apply(make("root-motion", **told, pace=pace), deckhand_clips["walk to the landing"], deckhand_rig)

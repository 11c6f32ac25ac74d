"""Steps that change time: everything goes along, and what must hold holds. 3-motion lists the tolerances under *Time*."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation, RotationSpline

from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import quat, seams
from reflexa.motion.clip import Clip, Event, Track
from reflexa.output.shape import exported
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps import Given, Outcome, make, outcome
from reflexa.take import Export, Segment
from reflexa.take.sequence import sequence

DATA = Path(__file__).parents[1] / "data"


def turn(a: Clip, b: Clip, at: slice | np.ndarray = np.s_[:]) -> float:
    """Degrees by which joints of two clips differ at most."""
    q = quat.multiply(quat.conjugate(a.rotations[at]), b.rotations[at])
    return float(np.degrees(quat.angle(q)).max())


def ramp(clip: Clip) -> Clip:
    """With a track that says which frame it is, and an event on every tenth."""
    events = tuple(Event(float(f), f"at {f}") for f in range(0, clip.frames, 10))
    return replace(clip, tracks=(Track("frame", np.arange(clip.frames, dtype=float)),), events=events)


def run(kind: str, clip: Clip, rig: Rig, **settings: object) -> Outcome:
    return outcome(make(kind, **settings), Given(clip, rig))


@pytest.fixture(scope="module")
def landing(deckhand_clips) -> Clip:
    return ramp(deckhand_clips["walk to the landing"])


CASES = [
    ("trim", {"first": 5, "last": 90}),
    ("trim", {"cut": [[20, 30], [60, 70]], "blend": 6}),
    ("retime", {"speed": 2.0}),
    ("retime", {"speed": 0.3}),
    ("retime", {"how": "length", "frames": 25}),
    ("retime", {"how": "rate", "rate": 50.0}),
    ("retime", {"how": "curve", "curve": [[0, 0], [64, 100], [128, 150]]}),
    ("retime", {"how": "curve", "curve": [[0, 0], [64, 60], [20, 90], [128, 200]], "backwards": True}),
    ("hold", {"frame": 30, "frames": 20, "ease": 6}),
    ("hold", {"frame": 0, "frames": 9, "ease": 20}),
    ("reverse", {}),
    ("reverse", {"how": "there and back", "blend": 8}),
]


@pytest.mark.parametrize(("kind", "settings"), CASES, ids=lambda v: v if isinstance(v, str) else "-".join(map(str, v)))
def test_a_track_that_is_a_ramp_of_time_stays_the_ramp_of_old_time(kind, settings, landing, deckhand_rig) -> None:
    done = run(kind, landing, deckhand_rig, **settings)
    assert done.times is not None and len(done.times) == done.clip.frames
    assert np.abs(done.clip.tracks[0].values - done.times).max() < 1e-9
    for e in done.clip.events:  # an event stands where its frame went
        assert np.interp(e.frame, np.arange(done.clip.frames), done.times) == pytest.approx(float(e.name[3:]), abs=0.03)
    whole = np.flatnonzero(np.abs(done.times - np.round(done.times)) < 1e-12)
    if "cut" not in settings:
        assert np.array_equal(
            np.abs(done.clip.rotations[whole]), np.abs(landing.rotations[done.times[whole].astype(int)])
        )


def test_frames_of_a_cut_go_on_without_a_pop_and_without_a_jump(landing, deckhand_rig) -> None:
    done = run("trim", landing, deckhand_rig, cut=[[20, 33], [60, 70]], blend=10).clip
    assert done.frames == 129 - 14 - 11
    for clip_steps, source_steps in zip(_steps(done), _steps(landing), strict=True):
        assert clip_steps <= 1.6 * source_steps + (np.radians(8) if clip_steps < 4 else 0.0)
    path = done.model[1][:, deckhand_rig.travel_joint, 2]
    assert np.diff(path).max() < 1.05 * np.diff(landing.model[1][:, deckhand_rig.travel_joint, 2]).max()


def _steps(clip: Clip) -> tuple[float, float]:
    turned, placed = clip.model
    by = quat.angle(quat.multiply(quat.conjugate(turned[:-1]), turned[1:])).max()
    return float(by), float(np.linalg.norm(np.diff(placed, axis=0), axis=-1).max()) + 0.02


def test_twice_as_fast_then_half_as_fast_is_itself_at_the_frames_that_were_kept(landing, deckhand_rig) -> None:
    fast = run("retime", landing, deckhand_rig, speed=2.0).clip
    back = run("retime", fast, deckhand_rig, speed=0.5).clip
    kept = np.arange(0, landing.frames, 2)
    assert back.frames == landing.frames and turn(back, landing, kept) < 1e-3
    assert np.abs(back.translations[kept] - landing.translations[kept]).max() < 1e-9


def test_reversed_twice_is_itself_and_there_and_back_repeats_no_frame(landing, deckhand_rig) -> None:
    once = run("reverse", landing, deckhand_rig).clip
    again = run("reverse", once, deckhand_rig).clip
    assert np.array_equal(again.rotations, landing.rotations) and again.events == landing.events
    both = run("reverse", landing, deckhand_rig, how="there and back").clip
    assert both.frames == 2 * landing.frames - 1
    assert np.array_equal(np.abs(both.rotations[-1]), np.abs(landing.rotations[0]))
    eased = run("reverse", landing, deckhand_rig, how="there and back", blend=12)
    assert eased.times.max() == landing.frames - 1 and eased.clip.frames == 2 * landing.frames - 1 + 12


def test_rescaled_from_30_to_25_frames_ends_stay_and_keys_six_apart_are_five_apart(
    deckhand_clips, deckhand_rig
) -> None:
    clip = deckhand_clips["lantern idle"].cut(0, 30)
    clip = replace(clip, events=tuple(Event(float(f), "key") for f in range(0, 31, 6)))
    done = run("retime", clip, deckhand_rig, how="length", frames=26).clip
    assert [e.frame for e in done.events] == pytest.approx([0, 5, 10, 15, 20, 25])  # common practice, no source
    for end in (0, -1):
        assert np.array_equal(done.rotations[end], clip.rotations[end])


def test_a_play_rate_of_two_fifths_lasts_two_and_a_half_times_as_long_as_frames(landing, deckhand_rig) -> None:
    done = run("retime", replace(landing, play_rate=0.4), deckhand_rig, how="play rate").clip
    assert done.duration == pytest.approx(2.5 * landing.duration) and done.play_rate == 1.0


def test_a_drawn_curve_is_what_scipy_says(landing, deckhand_rig) -> None:
    points = [[0, 0], [10, 30], [40, 50], [128, 100]]
    done = run("retime", landing, deckhand_rig, how="curve", curve=points)
    old, new = np.array(points, dtype=float).T
    assert np.allclose(done.times, PchipInterpolator(new, old)(np.arange(101)))


@pytest.mark.parametrize("name", ["01_01_cut.bvh", "humanoid3d_walk.bvh", "boxing_cut.bvh"])
def test_slow_motion_follows_scipys_spline_through_the_frames(name: str) -> None:
    document = read(DATA / name)
    clip = document.clips[0]
    clip = clip.cut(1, min(clip.frames - 1, 200))
    done = run("retime", clip, document.rig, speed=0.25)
    away, straight = 0.0, 0.0
    for j in range(len(clip.skeleton)):
        keys = Rotation.from_quat(np.array(clip.rotations[:, j]))
        spline = RotationSpline(np.arange(clip.frames), keys)(done.times)
        away = max(
            away, float((spline.inv() * Rotation.from_quat(np.array(done.clip.rotations[:, j]))).magnitude().max())
        )
        ends = [clip.rotations[np.clip(np.floor(done.times).astype(int) + k, 0, clip.frames - 1), j] for k in (0, 1)]
        plain = Rotation.from_quat(quat.slerp(*ends, done.times % 1))
        straight = max(straight, float((spline.inv() * plain).magnitude().max()))
    assert np.degrees(away) < 1.5 and away < 0.6 * straight, "nearer to the spline than going straight is"


def test_what_is_held_does_not_stir_and_starts_again_softly(landing, deckhand_rig) -> None:
    done = run("hold", landing, deckhand_rig, frame=40, frames=30, ease=8)
    assert done.clip.frames == landing.frames + 30
    still = np.flatnonzero(done.times == 40)
    assert len(still) >= 20 and np.ptp(done.clip.rotations[still], axis=0).max() == 0
    assert np.diff(done.times).min() >= 0 and np.abs(np.diff(done.times, 2)).max() <= 1 / 8 + 1e-9


# Loops ----------------------------------------------------------------------------------------------------------


def test_an_exact_loop_is_left_as_it_is_bit_for_bit(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    assert run("close-loop", walk, deckhand_rig).clip is walk
    flat = run("close-loop", replace(walk, loop=False), deckhand_rig).clip
    assert flat.loop and flat.rotations is walk.rotations


@pytest.mark.parametrize("over", [0, 6, 24])
def test_a_closed_loop_meets_in_pose_and_velocity_and_feet_keep_standing(over, landing, deckhand_rig) -> None:
    part = landing.cut(3, 70)
    done = run("close-loop", part, deckhand_rig, over=over).clip
    away, turned, _ = seams.gap(done, deckhand_rig.travel_joint)
    assert done.loop and done.frames == part.frames and away < 1e-4 and np.degrees(turned) < 0.01
    joint = deckhand_rig.travel_joint
    assert np.linalg.norm(done.model[1][-1, joint] - done.model[1][0, joint]) == pytest.approx(2.86, abs=0.1), (
        "it goes on"
    )
    for side, f in footing(done, deckhand_rig).items():
        before = footing(part, deckhand_rig)[side]
        stands = f.ball_stands & f.heel_stands
        flat = np.flatnonzero(stands[1:] & stands[:-1]) + 1
        slid, own = (np.linalg.norm((b[flat] - b[flat - 1])[:, [0, 2]], axis=-1) for b in (f.ball, before.ball))
        assert (slid - own).max(initial=0.0) < 5e-4


def test_velocity_meets_joint_by_joint(landing, deckhand_rig) -> None:
    done = run("close-loop", landing.cut(3, 70), deckhand_rig, feet=False).clip
    q = done.rotations
    before, after = (quat.to_rotvec(quat.multiply(quat.conjugate(q[a]), q[b])) for a, b in ((-2, -1), (0, 1)))
    fastest = np.linalg.norm(quat.to_rotvec(quat.multiply(quat.conjugate(q[:-1]), q[1:])), axis=-1).max()
    assert np.linalg.norm(after - before, axis=-1).max() < 0.01 * fastest


def test_the_frames_of_a_loop_are_found(landing, deckhand_rig) -> None:
    """The walk is four cycles of 32 frames: any two frames a whole number of cycles apart are one pose."""
    done = run("close-loop", landing.cut(3, 100), deckhand_rig, find=True)
    assert (done.report.last - done.report.first) % 32 == 0
    assert done.report.matches.pairs[0].pose < 0.01 and done.clip.loop


def test_a_loop_begins_at_a_strike_and_goes_on(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    done = run("cycle", walk, deckhand_rig, start="right strike", times=3).clip
    assert done.frames == 97 and done.loop
    falls = np.flatnonzero(footing(done, deckhand_rig)["right"].stands) == 0
    assert falls.any(), "it stands from the first frame on"
    by_name = run("cycle", walk, deckhand_rig, start="step_right").clip
    assert by_name.events[0] == Event(0.0, "step_right")
    for bad, says in (("no such", "no event"), (99, "no frame")):
        with pytest.raises(RecipeError, match=says):
            run("cycle", walk, deckhand_rig, start=bad)


def test_a_clip_that_does_not_close_is_not_begun_elsewhere(deckhand_clips, deckhand_rig) -> None:
    with pytest.raises(RecipeError, match="is not closed"):
        run("cycle", deckhand_clips["step up"], deckhand_rig, start=10)


# Keys, events, rest pose ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(("degrees", "mm"), [(0.05, 0.2), (0.5, 2.0), (3.0, 20.0)])
def test_thinned_curves_stay_within_the_tolerance(degrees, mm, landing, deckhand_rig) -> None:
    done = run("key-reduction", landing, deckhand_rig, degrees=degrees, mm=mm)
    turned, placed = done.clip.model
    assert np.linalg.norm(placed - landing.model[1], axis=-1).max() * 1000 <= mm
    assert np.degrees(quat.angle(quat.multiply(quat.conjugate(landing.model[0]), turned))).max() <= degrees
    assert done.report.keys < 0.6 * done.report.of and done.clip.reduced


def test_events_are_added_renamed_removed_and_made_of_plants(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    done = run(
        "events", walk, deckhand_rig, events=[[4, "whistle"]], rename={"step_left": "left", "step_right": ""}
    ).clip
    assert [e.name for e in done.events] == ["left", "whistle"]
    feet = run("events", walk, deckhand_rig, keep=False, from_contacts=True).clip.events
    assert sorted(e.name for e in feet) == ["left lift", "left strike", "right lift", "right strike"]
    begun = run("cycle", walk, deckhand_rig, start="left strike", times=2).clip
    strikes = [
        e
        for e in run("events", begun, deckhand_rig, keep=False, from_contacts=True).clip.events
        if e.name == "left strike"
    ]
    assert [e.frame for e in strikes] == [0.0, 32.0], "at the first frame of a cycle, not at the last"
    mirrored = run("mirror", replace(walk, events=feet), deckhand_rig).clip
    assert {(e.frame, e.name) for e in mirrored.events} == {(e.frame, _other(e.name)) for e in feet}
    with pytest.raises(RecipeError, match="outside the clip"):
        run("events", walk, deckhand_rig, events=[[33, "late"]])


def _other(name: str) -> str:
    return name.replace("left", "?").replace("right", "left").replace("?", "right")


def test_rest_pose_at_the_ends_is_found_and_left_out(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["rope haul"]
    rest = deckhand_rig.skeleton
    with_rest = clip.with_motion(
        np.concatenate([np.tile(rest.rest_rotations, (2, 1, 1)), clip.rotations, rest.rest_rotations[None]]),
        np.concatenate([np.tile(rest.rest_translations, (2, 1, 1)), clip.translations, rest.rest_translations[None]]),
    )
    done = run("trim", with_rest, deckhand_rig, rest_ends=True)
    assert done.report.rest == (2, 1) and np.array_equal(done.clip.rotations, clip.rotations)
    for good in deckhand_clips.values():
        assert run("trim", good, deckhand_rig, rest_ends=True).clip.frames == good.frames, "no false alarm"


BAD = [
    ("trim", {"first": 200}, "outside this clip"),
    ("trim", {"cut": [[0, 200]]}, "nothing is left"),
    ("trim", {"cut": [[30, 20]]}, "not a span"),
    ("retime", {"how": "curve", "curve": [[0, 0]]}, "two points"),
    ("retime", {"how": "curve", "curve": [[0, 0], [50, 40], [20, 80]]}, "backwards"),
    ("retime", {"how": "curve", "curve": [[0, 0], [50, 0]]}, "the same new frame"),
    ("hold", {"frame": 500}, "no frame 500"),
    ("close-loop", {"first": 10, "last": 11}, "make no loop"),
    ("cycle", {"times": 1000, "start": 40}, "is not closed|too many"),
]


@pytest.mark.parametrize(("kind", "settings", "says"), BAD, ids=[f"{k}-{s}" for k, _, s in BAD])
def test_what_makes_no_sense_is_said(kind, settings, says, deckhand_clips, deckhand_rig) -> None:
    with pytest.raises(RecipeError, match=says):
        run(kind, deckhand_clips["step up"], deckhand_rig, **settings)


@pytest.mark.parametrize("settings", [{"speed": 0}, {"speed": 1000}, {"frames": -1}, {"rate": 0}])
def test_settings_out_of_range_are_refused(settings) -> None:
    with pytest.raises(RecipeError):
        make("retime", **settings)


@pytest.mark.parametrize("frames", [1, 2, 3])
def test_clips_of_hardly_any_frames_come_out_of_every_step_or_say_why_not(frames, deckhand_clips, deckhand_rig) -> None:
    clip = ramp(deckhand_clips["walk"].cut(0, frames - 1))
    for kind in ("trim", "retime", "hold", "reverse", "close-loop", "cycle", "key-reduction", "events"):
        try:
            done = run(kind, clip, deckhand_rig)
        except RecipeError:
            continue
        assert np.isfinite(done.clip.rotations).all() and done.clip.frames >= 1


def test_time_steps_take_no_weight(landing, deckhand_rig) -> None:
    import msgspec

    half = msgspec.structs.replace(make("reverse"), weight=0.5)
    with pytest.raises(RecipeError, match="no weight"):
        outcome(half, Given(landing, deckhand_rig))


def test_what_is_tied_to_an_event_goes_with_it(landing, deckhand_rig) -> None:
    import msgspec

    from reflexa.steps.model import Tie
    from reflexa.steps.plain import from_plain, to_plain
    from reflexa.steps.running import apply_at

    clip = replace(landing, events=(Event(40.0, "whistle"),))
    lift = make(
        "goal", limb="right hand", point=[0.3, 1.2, 0.4], spans=[{"start": 32, "at": 40, "until": 44, "end": 50}]
    )
    tied = msgspec.structs.replace(lift, tied=Tie("whistle", 40.0), envelope=((30.0, 0.0), (40.0, 1.0)))
    there = outcome(tied, Given(clip, deckhand_rig)).clip
    late = replace(landing, events=(Event(60.0, "whistle"),))
    moved = outcome(tied, Given(late, deckhand_rig)).clip
    changed = [np.flatnonzero((c.rotations != landing.rotations).any(axis=(1, 2))) for c in (there, moved)]
    assert changed[0].min() >= 32 and changed[0].max() <= 50 and changed[1].tolist() == (changed[0] + 20).tolist()
    assert from_plain(to_plain(tied)) == tied
    # The one pose that is shown while a hand drags, cut from the clip without its events, is that of the whole.
    bent = make("correction", tracks=[{"joint": "chest", "keys": [{"frame": 40, "rotate": [20, 0, 0]}]}])
    bent = msgspec.structs.replace(bent, tied=tied.tied, envelope=tied.envelope)
    whole = outcome(bent, Given(late, deckhand_rig)).clip
    for f in (45, 56, 62):
        np.testing.assert_allclose(apply_at(bent, late, deckhand_rig, f).rotations[0], whole.rotations[f], atol=1e-12)
    with pytest.raises(RecipeError, match="tied to the event"):
        outcome(tied, Given(landing, deckhand_rig))


@pytest.mark.parametrize(
    "settings", [{"speed": 1.7}, {"speed": 3.0}, {"how": "rate", "rate": 24.0}, {"how": "rate", "rate": 11.0}]
)
def test_no_event_is_lost_behind_the_last_sample(settings, deckhand_clips, deckhand_rig) -> None:
    """As an export at a rate: an event between the last sample and the clip's end stands at that sample."""
    clip = deckhand_clips["walk to the landing"].cut(0, 37)
    clip = replace(clip, loop=False, events=tuple(Event(float(f), f"at {f}") for f in range(38)))
    done = run("retime", clip, deckhand_rig, **settings)
    assert [e.name for e in done.clip.events] == [e.name for e in clip.events]
    assert max(e.frame for e in done.clip.events) == done.clip.frames - 1
    if "rate" in settings:
        made = exported(clip, deckhand_rig, Export(rate=settings["rate"]))
        assert np.array_equal(made.rotations, done.clip.rotations) and made.events == done.clip.events
    assert (
        len(
            sequence([Segment("f", "a", speed=settings.get("speed", 1.0))], lambda f, c: (clip, deckhand_rig), "s")[
                0
            ].events
        )
        == 38
    )

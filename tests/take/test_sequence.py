"""Clips in a row: place and heading carry on, poses meet, standing feet stay, nothing is lost."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.checks import CHECKS, Subject
from reflexa.errors import RecipeError
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event, Track
from reflexa.motion.limbs import bend
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.stage.footing import footing
from reflexa.take import Segment
from reflexa.take.sequence import best_seam, placed, sequence
from tests.helpers.commands import run

DATA = Path(__file__).parents[1] / "data"
SOURCES = Path(__file__).parents[2] / "reflexa" / "demo" / "project" / "sources"


def pops(clip: Clip) -> tuple[float, float]:
    """The largest turn of a joint in the world from frame to frame, degrees, and second difference of any joint's way, m."""
    turned, placed_ = clip.model
    by = quat.angle(quat.multiply(quat.conjugate(turned[:-1]), turned[1:])).max()
    return float(np.degrees(by)), float(np.linalg.norm(np.diff(placed_, n=2, axis=0), axis=-1).max())


@pytest.fixture
def known(deckhand_clips, deckhand_rig):
    return lambda file, clip: (deckhand_clips[clip], deckhand_rig)


def test_walk_and_walk_joined_are_one_walk(known, deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    out, _, seams = placed([Segment("f", "walk"), Segment("f", "walk")], known, "both")
    assert seams[0].pose < 1e-6 and seams[0].velocity < 30
    assert out.frames == 65 and (seams[0].first, seams[0].last) == (32, 32), (
        "a loop's last frame is the next one's first"
    )
    assert out.loop and pops(out)[0] <= pops(walk)[0] + 1e-6 and pops(out)[1] < 1.3 * pops(walk)[1]
    way = out.model[1][:, deckhand_rig.travel_joint]
    assert np.allclose(np.diff(way[:, 2]), np.diff(way[:, 2])[0], atol=1e-9), "it goes on as it went"
    assert [e.frame for e in out.events] == [0, 16, 32, 48]


def test_cut_and_crossfaded_where_feet_stand_they_stay(known, deckhand_clips, deckhand_rig) -> None:
    segments = [Segment("f", "walk to the landing", last=110), Segment("f", "walk", first=7, crossfade=10)]
    out, rig, (seam,) = placed(segments, known, "x")
    assert out.frames == 111 + 26 - 10
    source = max(pops(deckhand_clips[n])[0] for n in ("walk", "walk to the landing"))
    assert pops(out)[0] <= 1.6 * source + 8
    inside = np.s_[seam.first : seam.last + 1]
    stood = 0
    for f in footing(out, rig).values():
        if f.ball_stands[inside].all():
            stood += 1
            assert np.ptp(f.ball[inside][:, [0, 2]], axis=0).max() < 2e-3
    assert stood, "the other foot swings"


@pytest.mark.parametrize("crossfade", [0, 6])
def test_captures_meet_without_a_pop(crossfade: int) -> None:
    files = {n: read(DATA / n) for n in ("humanoid3d_walk.bvh", "humanoid3d_run.bvh")}
    known = lambda file, clip: (files[file].clips[0], files[file].rig)  # noqa: E731
    segments = [Segment(n, "", crossfade=crossfade or 8) for n in files]
    out, rig, (seam,) = placed(segments, known, "walk, run")
    kicks = 100 * np.linalg.norm(np.diff(out.model[1], n=2, axis=0), axis=-1).max()
    assert max(seam.jerk, seam.elsewhere) == pytest.approx(kicks) and seam.jerk < 1.3 * seam.elsewhere
    alone = max(pops(f.clips[0])[0] for f in files.values())
    assert pops(out)[0] <= 1.6 * alone + 8
    way = out.model[1][:, rig.travel_joint][:, [0, 2]]
    step = np.linalg.norm(np.diff(way, axis=0), axis=1)
    assert step.max() < 1.3 * max(
        np.linalg.norm(np.diff(f.clips[0].model[1][:, f.rig.travel_joint][:, [0, 2]], axis=0), axis=1).max()
        for f in files.values()
    )
    a, b, near = best_seam(files[segments[0].file].clips[0], files[segments[1].file].clips[0], rig, 20)
    assert a <= seam.last and b >= 0 and near > 0


def test_there_and_back_and_mirrored_ends_where_it_began(known, deckhand_clips, deckhand_rig) -> None:
    """Common practice, no source: forward then reversed ends where it began."""
    out, _ = sequence([Segment("f", "step up"), Segment("f", "step up", reversed=True)], known, "there and back")
    step = deckhand_clips["step up"]
    assert out.frames == 2 * step.frames - 1, "no frame twice at the turn"
    for k in (0, 1):
        assert np.abs(np.abs(out.model[k][-1]) - np.abs(out.model[k][0])).max() < 1e-6
    four = [Segment("f", "step up", reversed=r, mirrored=m, crossfade=4) for m in (False, True) for r in (False, True)]
    assert sequence(four, known, "four")[0].frames == 4 * step.frames - 3 * 4


def test_in_place_a_segment_stays_where_it_is(known, deckhand_clips, deckhand_rig) -> None:
    out, rig = sequence([Segment("f", "walk"), Segment("f", "walk", in_place=True, crossfade=4)], known, "x")
    end = out.model[1][-1, rig.travel_joint]
    assert np.allclose(end, deckhand_clips["walk"].model[1][-1, rig.travel_joint], atol=1e-9)


def test_rates_play_rates_tracks_and_events_go_along(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    slow = replace(walk, rate=60.0, play_rate=0.5, tracks=(Track("smile", np.ones(33)),), events=(Event(8.0, "blow"),))
    clips = {"walk": walk, "slow": slow}
    known = lambda file, clip: (clips[clip], deckhand_rig)  # noqa: E731
    out, _ = sequence([Segment("f", "walk"), Segment("f", "slow", crossfade=1)], known, "x")
    assert out.rate == 30.0 and out.frames == 33 + 33 - 1, "half the play rate at twice the rate: as long as it was"
    assert out.tracks[0].values[0] == 0 and out.tracks[0].values[-1] == 1
    assert [e.frame for e in out.events if e.name == "blow"] == [40.0]


BAD = [
    (Segment("f", "walk", first=40), "not inside"),
    (Segment("f", "walk", first=9, last=4), "not inside"),
    (Segment("f", "walk", speed=0.0), "a speed of 0"),
    (Segment("f", "walk", speed=1000.0), "a speed of 1000"),
    (Segment("f", "walk", crossfade=-1), "a crossfade of -1"),
]


@pytest.mark.parametrize(("segment", "says"), BAD, ids=[s for _, s in BAD])
def test_a_segment_that_makes_no_sense_is_said(segment, says, known) -> None:
    with pytest.raises(RecipeError, match=says):
        sequence([Segment("f", "walk"), segment], known, "x")


@pytest.mark.parametrize("crossfade", [1, 5, 500])
def test_segments_of_one_frame_and_crossfades_longer_than_a_segment(crossfade: int, known) -> None:
    out, _ = sequence([Segment("f", "walk"), Segment("f", "walk", first=4, last=4, crossfade=crossfade)], known, "x")
    assert np.isfinite(out.rotations).all() and out.frames in (33, 34)


def test_another_rig_is_refused_with_what_to_do(deckhand_clips, deckhand_rig: Rig) -> None:
    document = read(DATA / "humanoid3d_walk.bvh")
    both = {"deck": (deckhand_clips["walk"], deckhand_rig), "other": (document.clips[0], document.rig)}
    with pytest.raises(RecipeError, match="another rig") as e:
        sequence([Segment("", "deck"), Segment("", "other")], lambda _, clip: both[clip], "x")
    assert "Retarget" in e.value.advice


# From the command line ------------------------------------------------------------------------------------------


def test_join_writes_one_clip_and_says_where_the_seams_are(tmp_path: Path) -> None:
    walk = DATA / "humanoid3d_walk.bvh"
    out = tmp_path / "two.bvh"
    status, said, _ = run("join", f"{walk},last=25", f"{walk},first=3,crossfade=6,mirrored", "--out", out, "--json")
    plain = json.loads(said)
    assert status == 0 and [(s["first"], s["last"]) for s in plain["seams"]] == [(20, 25)]
    assert 0 < plain["seams"][0]["pose_cm"] < 60 and plain["seams"][0]["velocity_cm_s"] > 0
    assert read(out).clips[0].frames == plain["frames"] == 26 + read(walk).clips[0].frames - 3 - 6
    assert run("join", walk, walk, "--out", out)[0] == 4, "never written over unasked"
    for bad in (f"{walk},speed=0", f"{walk},sideways", f"{walk}#none", f"{walk},first=x"):
        status, _, said = run("join", bad, "--out", tmp_path / "bad.bvh")
        assert status in (2, 3) and "Traceback" not in said and not (tmp_path / "bad.bvh").exists()


def test_ranges_are_clips_of_one_file_or_files_apart(tmp_path: Path, deckhand_clips, deckhand_rig) -> None:
    from reflexa.formats.gltf.write import write

    source = tmp_path / "walk.glb"
    source.write_bytes(write([deckhand_clips["walk to the landing"]], deckhand_rig))
    ranges = ("--ranges", "wind up=0-32+,strike=33-64")
    status, *_ = run("apply", source, "--step", "trim:first=10", *ranges, "--out", tmp_path / "one")
    clips = read(tmp_path / "one" / "walk.glb").clips
    assert status == 0 and [(c.name, c.frames, c.loop) for c in clips] == [("wind up", 33, True), ("strike", 32, False)]
    whole = deckhand_clips["walk to the landing"]
    order = [clips[1].skeleton.index[n] for n in whole.skeleton.names]
    assert np.allclose(clips[1].model[1][0, order], whole.model[1][43], atol=1e-4)
    status, *_ = run("apply", source, *ranges, "--apart", "--out", tmp_path / "two")
    assert status == 0 and {p.name for p in (tmp_path / "two").glob("*.glb")} == {"walk wind up.glb", "walk strike.glb"}
    status, _, said = run("apply", source, "--ranges", "late=100-200", "--out", tmp_path / "bad")
    assert status == 2 and "lies outside" in said


def test_frames_are_held_before_and_behind_what_is_exported(deckhand_clips, deckhand_rig) -> None:
    from reflexa.output.shape import exported
    from reflexa.take import Export, Source, Take, evaluate

    walk = deckhand_clips["walk to the landing"]
    line = evaluate(Take("t", Source("f", "c")), walk, deckhand_rig)
    out = exported(line.result, line.rig, Export(first=10, last=40, held=(3, 5), play_rate=0.5))
    assert out.frames == 31 + 8 and out.play_rate == 0.5
    assert np.array_equal(out.rotations[:4], np.repeat(walk.rotations[10:11], 4, axis=0))
    assert np.array_equal(out.rotations[-6:], np.repeat(walk.rotations[40:41], 6, axis=0))
    assert [e.frame for e in out.events] == [9.0, 25.0], "events go along"


def test_each_range_is_held_and_repeated_as_asked(deckhand_clips, deckhand_rig) -> None:
    from reflexa.output.shape import exported_clips
    from reflexa.take import Export, Range, Source, Take, evaluate

    ranges = (Range("stride", 0, 32, loop=True), Range("halt", 100, 128))
    line = evaluate(Take("t", Source("f", "c"), ranges=ranges), deckhand_clips["walk to the landing"], deckhand_rig)
    stride, halt = exported_clips(line.result, line.rig, line.take.ranges, Export(cycles=2, held=(3, 5), rate=60.0))
    assert (stride.name, stride.frames, stride.loop) == ("stride", 2 * (2 * 32) + 1 + 8, True)
    assert (halt.name, halt.frames, halt.loop) == ("halt", 2 * 28 + 1 + 8, False), (
        "a range that is no loop is written once"
    )
    assert np.array_equal(halt.rotations[:4], np.repeat(line.result.rotations[100:101], 4, axis=0))
    (whole,) = exported_clips(line.result, line.rig, line.take.ranges, Export(ranges="whole"))
    assert whole.frames == line.result.frames


@pytest.mark.parametrize(("export", "says"), [({"ranges": "sideways"}, "ranges"), ({"held": [-3, 0]}, "held")])
def test_an_export_that_makes_no_sense_in_a_take_file_is_said(export, says) -> None:
    from reflexa.errors import ReadError
    from reflexa.project.take_text import take_from_plain

    plain = {"name": "t", "source": {"file": "f", "clip": "c"}, "export": export}
    with pytest.raises(ReadError, match=says):
        take_from_plain(plain, Path("t.take.json"))


def test_a_track_that_a_file_cannot_hold_is_said(tmp_path: Path) -> None:
    """BVH has joints and nothing else (common practice, no source)."""
    heron = SOURCES / "heron.glb"
    status, said, _ = run("convert", heron, tmp_path / "heron.bvh", "--clip", "strut and call")
    assert status == 0 and "beak_open" in said and "only the manifest" in said


# In step -------------------------------------------------------------------------------------------------------


def strides(clip: Clip, rig: Rig) -> np.ndarray:
    """Frames at which one foot passes the other, by the feet's own tracks along the way of the figure."""
    left, right = (clip.model[1][:, rig.joint(f"{s} foot")] for s in ("left", "right"))
    apart = (left - right)[:, 2]
    return np.flatnonzero((apart[:-1] < 0) != (apart[1:] < 0))


@pytest.mark.parametrize("last", range(85, 116, 5))
def test_a_walk_goes_on_with_the_same_foot(known, deckhand_clips, last: int) -> None:
    """Registration as published (Kovar & Gleicher 2003): whatever the phases, the seam is one of a walk with itself."""
    out = {}
    for apart in (False, True):
        segments = [
            Segment("f", "walk to the landing", last=last),
            Segment("f", "walk", crossfade=10, out_of_step=apart),
        ]
        out[apart] = placed(segments, known, "x")
    (clip, rig, (seam,)), (other, _, (apart_seam,)) = out[False], out[True]
    assert clip.frames == other.frames, "as long as it was"
    # Half a stride off, and one of the two is a single stride: the pace does not change as much as that would take.
    assert seam.pose < max(1.5, 0.4 * apart_seam.pose)
    assert not CHECKS["helper"].run(Subject(clip, rig)), "helper joints go along"
    gaps = np.diff(strides(clip, rig))
    walk = np.diff(strides(deckhand_clips["walk to the landing"], rig))
    assert gaps.min() > 0.6 * walk.min() and gaps.max() < 1.6 * walk.max(), "no step too many, and none left out"
    turned, kicked = pops(clip)
    most = [pops(deckhand_clips[n]) for n in ("walk", "walk to the landing")]
    assert turned <= 1.6 * max(t for t, _ in most) + 8 and kicked <= 1.3 * max(k for _, k in most)


def test_who_does_not_walk_is_not_brought_into_step(known, deckhand_clips) -> None:
    segments = [Segment("f", "walk"), Segment("f", "lantern idle", crossfade=10)]
    one = placed(segments, known, "x")[0]
    two = placed([replace(s, out_of_step=True) for s in segments], known, "x")[0]
    assert np.array_equal(one.rotations, two.rotations) and np.array_equal(one.translations, two.translations)


@pytest.mark.parametrize("first", [0, 7, 14, 21])
def test_a_capture_that_walks_goes_on_in_step_and_so_does_its_mirror(first: int) -> None:
    read_ = read(DATA / "humanoid3d_walk.bvh")
    rig, captured = read_.rig, {"a": read_.clips[0]}
    segments = [Segment("f", "a"), Segment("f", "a", first=first, crossfade=8)]
    _, _, (seam,) = placed(segments, lambda *_: (captured["a"], rig), "x")
    apart = placed([replace(s, out_of_step=True) for s in segments], lambda *_: (captured["a"], rig), "x")[2][0]
    assert seam.pose < 0.85 * apart.pose, "of one stride each, the pace changes as far as that goes"
    mirrored = placed([replace(s, mirrored=True) for s in segments], lambda *_: (captured["a"], rig), "x")[2][0]
    assert mirrored.pose == pytest.approx(seam.pose, abs=0.5)


def test_there_and_back_is_led_by_neither_foot_and_snaps_no_knee(known, deckhand_clips, deckhand_rig) -> None:
    """A walk is not brought into step with its own reverse, and a foot that leaves by its heel is not held by its tip."""
    segments = [Segment("f", "walk to the landing"), Segment("f", "walk to the landing", reversed=True, crossfade=6)]
    out, rig = sequence(segments, known, "x")
    walk = deckhand_clips["walk to the landing"]
    for side in ("left", "right"):
        bends = [bend(c.model, limb_of(rig, f"{side} foot")).angle for c in (walk, out)]
        most = [np.abs(np.diff(b, n=2)).max() for b in bends]
        assert most[1] <= 1.6 * most[0] + 3

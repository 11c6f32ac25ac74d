"""The demo figure against published proportions and gait timing; the shipped project; drawing."""

from __future__ import annotations

from dataclasses import replace
from importlib.resources import files
from pathlib import Path

import numpy as np
import pytest

from reflexa.checks import CHECKS, Subject
from reflexa.demo import build, deckhand
from reflexa.draw import Camera, Figure, Renderer, Scene
from reflexa.draw.scene import matrices_at
from reflexa.formats import read
from reflexa.motion import quat, threads
from reflexa.project import store
from reflexa.take import evaluate
from reflexa.take.clips import ClipsByName
from reflexa.take.sequence import source_of

PROJECT = Path(str(files("reflexa.demo").joinpath("project")))


def test_segments_have_published_proportions(deckhand_rig) -> None:
    """Drillis & Contini (1966) as printed in Winter, Biomechanics and Motor Control of Human Movement, fig. 4.1
    (fractions of stature; values from memory)."""
    s = deckhand_rig.skeleton
    at = {n: s.rest_model[1][i] for n, i in s.index.items()}
    h = deckhand.STATURE

    def length(a: str, b: str) -> float:
        return float(np.linalg.norm(at[a] - at[b])) / h

    assert length("upper_arm_left", "forearm_left") == pytest.approx(0.186, abs=0.002)
    assert length("forearm_left", "hand_left") == pytest.approx(0.146, abs=0.002)
    assert length("thigh_left", "shin_left") == pytest.approx(0.530 - 0.285, abs=0.002)
    assert length("shin_left", "foot_left") == pytest.approx(0.285 - 0.039, abs=0.002)
    assert at["foot_left"][1] / h == pytest.approx(0.039, abs=0.002)
    assert at["upper_arm_left"][1] / h == pytest.approx(0.818, abs=0.005)
    assert length("upper_arm_left", "upper_arm_right") == pytest.approx(2 * 0.129, abs=0.005)
    assert length("thigh_left", "thigh_right") == pytest.approx(0.191, abs=0.005)
    hand = np.linalg.norm(at["middle_3_left"] - at["hand_left"]) + 0.026 * 0.75 + 0.0118
    assert hand / h == pytest.approx(0.108, abs=0.01)
    foot = deckhand.HEEL_BACK + deckhand.BALL_AHEAD + 0.048 + 0.033
    assert foot / h == pytest.approx(0.152, abs=0.005)


def test_the_walk_has_published_timing_and_no_skating(deckhand_clips, deckhand_rig) -> None:
    """Stance about 60 % of the cycle, double support about 10 % twice (Perry, Gait Analysis; from memory)."""
    walk = deckhand_clips["walk"]
    spot = deckhand_clips["walk on the spot"]
    index = walk.skeleton.index
    ball, ankle = walk.model[1][:, index["toes_left"]], walk.model[1][:, index["foot_left"]]
    delta = quat.multiply(
        walk.model[0][:, index["foot_left"]], quat.conjugate(walk.skeleton.rest_model[0][index["foot_left"]])
    )
    heel = ankle + quat.rotate(delta, [0, -deckhand.FRACTION["ankle height"] * deckhand.STATURE, -deckhand.HEEL_BACK])
    down = (heel[:-1, 1] < 0.004) | (ball[:-1, 1] < deckhand.BALL_HEIGHT + 0.004)
    assert down.mean() == pytest.approx(0.60, abs=0.04), "stance"
    both = down & np.roll(down, 16)
    assert both.mean() == pytest.approx(0.20, abs=0.07), "double support, twice"
    still = np.linalg.norm(np.diff(ball[:, [0, 2]], axis=0), axis=1) < 2e-3
    assert still.mean() == pytest.approx(0.48, abs=0.05), "the ball rests from foot-flat to toe-off"
    flat = slice(5, 11)  # foot-flat: heel and ball both down
    assert np.ptp(ankle[flat], axis=0).max() < 1e-3, "a planted foot's track is flat (common practice, no source)"
    forward = spot.model[1][flat, index["foot_left"], 2]
    steps = np.diff(forward)
    assert np.ptp(steps) < 1e-4, "on the spot a foot moves linearly through stance"
    root_speed = np.diff(walk.model[1][:, index["root"], 2])
    assert np.allclose(-steps, root_speed[flat.start : flat.stop - 1], atol=1e-4)
    assert walk.model[1][:, [index["toes_left"], index["toes_right"]], 1].min() > -0.012, (
        "no foot sinks into the ground"
    )


def test_clips_loop_without_a_pop_and_bones_keep_their_length(deckhand_clips, deckhand_rig) -> None:
    s = deckhand_rig.skeleton
    for clip in deckhand_clips.values():
        placed = clip.model[1]
        if clip.loop and clip.name != "walk":
            assert np.abs(placed[0] - placed[-1]).max() < 1e-3, clip.name
        bones = [j for j in range(len(s)) if s.parents[j] >= 0 and "mark" not in s.names[j] and s.names[j] != "pelvis"]
        length = np.linalg.norm(placed[:, bones] - placed[:, s.parents[bones]], axis=-1)
        assert np.ptp(length, axis=0).max() < 1e-9, clip.name
        for helper, joint in ((n, h.follows) for n, h in deckhand_rig.helpers.items()):
            assert np.abs(placed[:, s.index[helper]] - placed[:, s.index[joint]]).max() < 1e-9
        turn = np.abs(np.sum(clip.rotations[1:] * clip.rotations[:-1], axis=-1))
        assert np.degrees(2 * np.arccos(np.clip(turn, 0, 1))).max() < 35, (
            f"{clip.name}: nothing snaps from frame to frame"
        )


@pytest.mark.long
def test_the_shipped_project_is_whole_and_what_the_builder_builds(tmp_path: Path) -> None:
    project = store.load(PROJECT)
    documents = {s.file: read(PROJECT / "sources" / s.file) for s in project.sources}
    document = documents["deckhand.glb"]
    assert 55 <= len(document.rig.skeleton) <= 65 and len(document.clips) >= 4 and not document.warnings
    assert document.rig.height == pytest.approx(deckhand.STATURE, abs=0.08)
    for take in project.takes:
        known = ClipsByName({n: (d.clips, d.rig) for n, d in documents.items()}, project.takes).within(take.name)
        result = evaluate(take, *source_of(take.source, known.source), known.surroundings)
        assert np.isfinite(result.result.model[1]).all()
        if take.steps and take.steps[-1].kind in ("retarget", "helper-joints"):
            assert not CHECKS["helper"].run(Subject(result.result, result.rig)), (
                "what puts helper joints in place leaves none behind"
            )
    build.build(tmp_path)
    for path in PROJECT.rglob("*.json"):
        assert (tmp_path / path.relative_to(PROJECT)).read_text() == path.read_text()


def test_a_figure_is_drawn_where_it_stands(renderer: Renderer) -> None:
    document = read(PROJECT / "sources" / "deckhand.glb")
    clip = document.clips[0]
    camera = Camera().framed(*(f(clip.model[1][0], axis=0) for f in (np.min, np.max)))
    empty = np.frombuffer(renderer.render(Scene(), camera, 200, 260), np.uint8).reshape(260, 200, 4)
    figure = Figure(document.rig.meshes, matrices_at(clip, 0), shadow=False)
    full = np.frombuffer(renderer.render(Scene(figures=(figure,)), camera, 200, 260), np.uint8).reshape(260, 200, 4)
    rows, columns = np.nonzero(np.abs(full.astype(int) - empty).sum(axis=2) > 30)
    at = camera.project(clip.model[1][0], 200, 260)
    assert rows.min() == pytest.approx(at[:, 1].min(), abs=35) and rows.max() == pytest.approx(at[:, 1].max(), abs=12)
    assert abs(columns.mean() - at[:, 0].mean()) < 14
    # With less detail it is the same figure: nothing is open, and little lies elsewhere.
    shaded = Scene(figures=(replace(figure, shadow=True),))
    renderer.render(shaded, camera, 200, 260, 4.0)  # has less made of it, beside
    threads.pool("meshes", 1).submit(int).result()
    exact, coarse = (
        np.frombuffer(renderer.render(shaded, camera, 200, 260, detail), np.uint8).reshape(260, 200, 4).astype(int)
        for detail in (0.0, 4.0)
    )
    apart = np.abs(exact - coarse).max(axis=2)
    assert 0 < (apart > 60).mean() < 0.02 and np.median(apart[rows, columns]) < 6


def test_the_camera_projects_and_casts_rays_consistently() -> None:
    for camera in (
        Camera(),
        Camera(perspective=False),
        Camera().standard("left side"),
        Camera().orbited(80, -30).zoomed(0.5),
    ):
        points = np.random.default_rng(0).normal(0, 0.5, (20, 3)) + [0, 1, 0]
        for p, (x, y, _) in zip(points, camera.project(points, 640, 480), strict=True):
            origin, way = camera.ray(x, y, 640, 480)
            assert np.linalg.norm(np.cross(p - origin, way)) < 1e-9

"""Pictures without a display."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from reflexa.errors import ReadError, RecipeError
from reflexa.review.pictures import frames_said
from reflexa.review.stills import Shot, still, view_called
from reflexa.review.subjects import of_clip, subjects
from tests.helpers.commands import run
from tests.helpers.files import DATA

DEMO = DATA.parents[1] / "reflexa/demo/project"
HAUL = f"{DEMO}#Haul, port side"


def pixels(path: Path) -> np.ndarray:
    return np.asarray(Image.open(path).convert("RGB"), dtype=int)


def test_a_frame_before_and_after(tmp_path: Path) -> None:
    out = tmp_path / "a.png"
    assert run("picture", HAUL, "--out", out, "--frames", "36", "--both", "--size", "640x400", "--plain")[0] == 0
    a = pixels(out)
    assert a.shape == (400, 640, 3)
    yellow = (a[..., 0] > 150) & (a[..., 2] < 100)
    assert yellow[:, 320:].sum() > 1000 and yellow[:, :320].sum() < 50, "the source is pale, the result as it is"
    assert run("picture", HAUL, "--out", out)[0] == 4, "nothing is written over"
    assert run("picture", HAUL, "--out", out, "--force", "--dark")[0] == 0 and pixels(out)[0, 0].sum() < 250


def test_a_contact_sheet_and_rows_of_frames(tmp_path: Path) -> None:
    assert run("picture", HAUL, "--out", tmp_path / "s.png", "--sheet", "6", "--size", "600x400")[0] == 0
    sheet = pixels(tmp_path / "s.png")
    assert sheet.shape == (2 * 204 - 4, 3 * 204 - 4, 3)
    assert run("picture", HAUL, "--out", tmp_path / "r.png", "--frames", "0-20/10", "--size", "200x200")[0] == 0
    files = sorted(p.name for p in tmp_path.glob("r_*.png"))
    assert files == ["r_0000.png", "r_0010.png", "r_0020.png"]
    assert np.abs(pixels(tmp_path / "r_0000.png") - pixels(tmp_path / "r_0020.png")).mean() > 0.5


def test_a_moving_picture_lasts_as_long_as_the_clip(tmp_path: Path) -> None:
    out = tmp_path / "w.webp"
    assert (
        run("picture", DATA / "humanoid3d_walk.bvh", "--out", out, "--size", "160x160", "--view", "left side")[0] == 0
    )
    with Image.open(out) as moving:
        assert moving.n_frames == 39
        moving.seek(1)
        moving.load()
        assert moving.info["duration"] == 33


def test_bad_wishes_are_answered(tmp_path: Path) -> None:
    walk, out = DATA / "humanoid3d_walk.bvh", tmp_path / "a.png"
    assert run("picture", walk, "--out", tmp_path / "a.gif")[0] == 2
    assert run("picture", walk, "--out", out, "--size", "9999x9999")[0] == 2
    status, _, err = run("picture", walk, "--out", out, "--frames", "5-99")
    assert status == 2 and "0 to 38" in err
    status, _, err = run("picture", walk, "--out", out, "--view", "elsewhere")
    assert status == 3 and "three-quarter" in err
    status, _, err = run("picture", DEMO, "--out", out)
    assert status == 3 and "Choose one" in err and not out.exists()
    with pytest.raises(RecipeError):
        frames_said("3-", 9)
    assert frames_said("0,4-6", 9) == [0, 4, 5, 6]


def test_clips_of_one_frame_and_rigs_of_any_kind(deckhand_clips, deckhand_rig) -> None:
    one = of_clip(deckhand_clips["walk"].cut(3, 3), deckhand_rig)
    assert still(one, 7, Shot(120, 90)).size == (120, 90)
    box = subjects(str(DATA / "RiggedSimple.glb"))[0]
    assert still(box, 3, Shot(120, 90, both=True)).size == (120, 90)
    with pytest.raises(ReadError):
        view_called(one, "nowhere")

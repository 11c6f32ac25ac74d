"""Measures over time against closed forms, and as tables and drawings."""

from __future__ import annotations

import csv
import io
from xml.etree import ElementTree

import numpy as np
import pytest

from reflexa.motion.clip import Clip, rest_clip
from reflexa.review.measures import MEASURES, measured
from reflexa.review.plots import Curve, drawing, table
from tests.helpers import rigs


def moving(deckhand_rig, frames: int = 61) -> Clip:
    """The figure thrown up at 3 m/s, ahead at 2 m/s, under 9.81 m/s²: a throw, as in every handbook of mechanics."""
    s = deckhand_rig.skeleton
    t = np.arange(frames) / 30
    places = np.tile(s.rest_translations, (frames, 1, 1))
    places[:, 0, 1] += 3 * t - 9.81 / 2 * t**2
    places[:, 0, 2] += 2 * t
    return Clip("throw", s, np.tile(s.rest_rotations, (frames, 1, 1)), places, 30.0)


def test_a_throw_is_measured_as_mechanics_has_it(deckhand_rig) -> None:
    clip = moving(deckhand_rig)
    names = clip.skeleton.names
    t = np.arange(clip.frames) / 30
    inner = slice(2, -2)
    speed = measured(MEASURES["speed"], clip, deckhand_rig, (names[0],))
    assert speed[inner] == pytest.approx(np.hypot(2, 3 - 9.81 * t)[inner], rel=1e-6)
    assert measured(MEASURES["acceleration"], clip, deckhand_rig, (names[0],))[inner] == pytest.approx(9.81, rel=1e-6)
    assert measured(MEASURES["root speed"], clip, deckhand_rig)[inner] == pytest.approx(2.0)
    height = measured(MEASURES["height"], clip, deckhand_rig, (names[0],))
    assert height[30] - height[0] == pytest.approx(100 * (3 - 9.81 / 2))
    assert measured(MEASURES["apart"], clip, deckhand_rig, (names[0], names[1]))[7] == pytest.approx(
        100 * np.linalg.norm(clip.skeleton.rest_translations[1])
    )


def test_knees_and_turns(deckhand_clips, deckhand_rig) -> None:
    walk = deckhand_clips["walk"]
    knee = measured(MEASURES["left knee"], walk, deckhand_rig)
    # A knee bends by 55 to 70 degrees in the swing of a walk (textbooks of gait; from memory).
    assert 45 < knee.max() < 80 and knee.min() >= 0
    turning = measured(MEASURES["turning"], walk, deckhand_rig, ("thigh_left",))
    assert turning[0] == turning[1] and 0 < turning.max() < 900


def test_what_is_not_there_is_not_measured() -> None:
    rig = rigs.rig(3, 2)
    clip = rest_clip(rig.skeleton)
    assert measured(MEASURES["speed"], clip, rig, ("nobody",)) is None
    assert measured(MEASURES["speed"], clip, rig, (rig.skeleton.names[0],)).tolist() == [0.0]


def test_tables_and_drawings() -> None:
    curves = [Curve('a, "b"', "cm", np.arange(5.0)), Curve("<c>", "°", np.ones(3), 1, "6 4")]
    rows = list(csv.reader(io.StringIO(table(curves, 30.0))))
    assert rows[0] == ["frame", "time [s]", 'a, "b" [cm]', "<c> [°]"] and rows[4] == ["3", "0.1", "3", ""]
    root = ElementTree.fromstring(drawing(curves, 30.0))
    lines = root.findall("{http://www.w3.org/2000/svg}polyline")
    assert [len(n.get("points", "").split()) for n in lines] == [5, 3]
    assert "<c> [°]" in " ".join(t.text or "" for t in root.iter("{http://www.w3.org/2000/svg}text"))
    assert ElementTree.fromstring(drawing([], 30.0)) is not None

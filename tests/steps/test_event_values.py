"""Events that carry a value, markers of other programs, and steps whose frames go with an event."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.formats import encode, read
from reflexa.formats.gltf.container import load, to_glb
from reflexa.motion.clip import Clip, Event
from reflexa.rig import Rig
from reflexa.steps import Given, from_plain, make, outcome, to_plain
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.events import from_label
from reflexa.steps.model import Tie

VALUES: dict[str, float | str | None] = {"step": "wood", "blow": 0.75, "call": None}


@pytest.fixture
def walk(deckhand_clips) -> Clip:
    at = (4.0, 11.0, 20.0)
    marks = tuple(Event(f, n, v) for f, (n, v) in zip(at, VALUES.items(), strict=True))
    return replace(deckhand_clips["walk on the spot"], events=marks)


@pytest.mark.parametrize(
    ("kind", "settings"),
    [("mirror", {}), ("reverse", {}), ("retime", {"speed": 0.5}), ("cycle", {"times": 3}), ("cycle", {"start": "step"}),
     ("hold", {"frame": 8, "frames": 5}), ("trim", {"first": 3}), ("key-reduction", {}), ("events", {"rename": {"x": "y"}})],
)  # fmt: skip
def test_a_value_goes_wherever_its_event_goes(kind: str, settings: dict, walk: Clip, deckhand_rig: Rig) -> None:
    found = outcome(make(kind, **settings), Given(walk, deckhand_rig)).clip.events
    assert {e.name: e.value for e in found} == VALUES


def test_a_value_comes_again_in_every_cycle(walk: Clip, deckhand_rig: Rig) -> None:
    both = outcome(make("cycle", times=2), Given(walk, deckhand_rig)).clip
    assert [e.value for e in both.events] == [*VALUES.values()] * 2


def test_a_side_in_a_value_is_mirrored(walk: Clip, deckhand_rig: Rig) -> None:
    clip = replace(walk, events=(Event(3.0, "step", "left_foot"),))
    (mark,) = outcome(make("mirror"), Given(clip, deckhand_rig)).clip.events
    assert (mark.name, mark.value) == ("step", "right_foot")


@pytest.mark.parametrize("suffix", [".glb", ".usda"])
def test_values_are_written_and_read(suffix: str, walk: Clip, deckhand_rig: Rig, tmp_path: Path) -> None:
    path = tmp_path / f"walk{suffix}"
    path.write_bytes(encode([walk], deckhand_rig, suffix[1:]))
    assert read(path).clips[0].events == walk.events


def test_markers_that_another_program_wrote_are_read(walk: Clip, deckhand_rig: Rig, tmp_path: Path) -> None:
    """Extras are free in glTF 2.0 (section 3.12): a list of marks with a name and a time is what a reader can make sense of."""
    path = tmp_path / "walk.glb"
    path.write_bytes(encode([replace(walk, events=())], deckhand_rig, "glb"))
    file = load(path)
    animation = {
        **file.json["animations"][0],
        "extras": {
            "markers": [
                {"name": "late", "time": 0.5},
                {"name": "early", "frame": 2, "value": 7},
                {"name": 3},
                "x",
                None,
            ]
        },
    }
    path.write_bytes(to_glb({**file.json, "animations": [animation]}, file.buffers[0]))
    clip = read(path).clips[0]
    assert clip.events == (Event(2.0, "early", 7.0), Event(pytest.approx(0.5 * clip.rate), "late"))


def test_events_are_typed_with_their_values() -> None:
    assert from_label(" step = wood ", 3.0) == Event(3.0, "step", "wood")
    assert from_label("blow=0.5", 3.0) == Event(3.0, "blow", 0.5) == from_label(Event(3.0, "blow", 0.5).label, 3.0)
    assert from_label("step", 3.0) == Event(3.0, "step") and from_label(" = 3", 3.0) is None
    assert from_label("x = nan", 0.0) == Event(0.0, "x", "nan"), "what cannot be saved as a number is text"


def test_the_settings_are_checked_and_stay_as_short_as_they_were() -> None:
    step = make("events", events=[[4, "whistle"], [5, "step", "wood"]])
    assert json.loads(json.dumps(to_plain(step)))["settings"]["events"] == [[4.0, "whistle"], [5.0, "step", "wood"]]
    assert from_plain(to_plain(step)) == step
    for bad in ([["a", "b"]], [[3]], [[3, 4]], [[3, "a", "b", "c"]]):
        with pytest.raises(RecipeError):
            make("events", events=bad)


def test_the_keys_of_a_correction_go_with_its_event(walk: Clip, deckhand_rig: Rig) -> None:
    layer = CorrectionSettings(tracks=(Track("head", (Key(6), Key(11, (0.0, 20.0, 0.0)), Key(16))),))
    step = with_fields(make("correction"), settings=layer, tied=Tie("blow", 11.0))
    at = walk.events.index(next(e for e in walk.events if e.name == "blow"))
    for by in (0, 7, -8):
        moved = tuple(replace(e, frame=e.frame + by) if i == at else e for i, e in enumerate(walk.events))
        out = outcome(step, Given(replace(walk, loop=False, events=moved), deckhand_rig)).clip
        changed = np.flatnonzero((out.rotations != walk.rotations).any(axis=(1, 2)))
        assert (changed.min(), changed.max()) == (max(7 + by, 0), 15 + by)

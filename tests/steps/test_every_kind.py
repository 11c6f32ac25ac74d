"""Laws that hold for every kind of step with every option that steps have in common, whatever the kind does."""

from __future__ import annotations

import math
from dataclasses import replace

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip, Event, Track
from reflexa.rig import Rig
from reflexa.stage import Stage
from reflexa.stage.model import Prop
from reflexa.steps import KINDS, Mask, Step, from_plain, make, to_plain
from reflexa.steps.model import Beginning, Given, Tie
from reflexa.take import Source, Surroundings, Take, evaluate
from tests.helpers import rigs

EVENT = "lift"
# What a kind needs beyond what it begins with, to do something.
SETTINGS = {
    "blend": {"clip": "deckhand.glb/lantern idle"},
    "correction": {
        "tracks": [{"joint": "head", "keys": [{"frame": 0}, {"frame": 20, "rotate": [9, 0, 0]}, {"frame": 40}]}]
    },
    "events": {"events": [[3, "here"]]},
    "pin": {"since": "source", "when": [{"start": 5, "at": 10, "until": 20, "end": 30}]},
    "rename": {"rig": "deckhand.glb"},
    "retarget": {"rig": "ferrykeeper.glb"},
    "track": {"track": "smile", "keys": [[0, 0.0], [10, 1.0]]},
    "trim": {"first": 2, "last": 60},
}
OPTIONS = {
    "alone": {},
    "off": {"on": False},
    "weight 0": {"weight": 0.0},
    "weight ½": {"weight": 0.5},
    "envelope": {"envelope": ((0.0, 0.0), (12.0, 1.0), (30.0, 0.0))},
    "mask": {"mask": Mask(parts=("left arm",), edge=1)},
    "tied": {"tied": Tie(EVENT, 20.0)},
    "tied elsewhere": {"tied": Tie(EVENT, 14.0)},
    "tied and weighed": {"tied": Tie(EVENT, 14.0), "weight": 0.5, "envelope": ((4.0, 0.0), (9.0, 1.0))},
}


@pytest.fixture(scope="module")
def walk(deckhand_clips: dict[str, Clip]) -> Clip:
    clip = deckhand_clips["walk"]
    return replace(clip, events=(Event(20.0, EVENT),), tracks=(Track("smile", np.linspace(0, 1, clip.frames)),))


@pytest.fixture(scope="module")
def within(deckhand_rig: Rig, deckhand_clips: dict[str, Clip]) -> Surroundings:
    from reflexa.demo import ferrykeeper
    from reflexa.rig import analyse

    rigs = {"deckhand.glb": deckhand_rig, "ferrykeeper.glb": analyse(ferrykeeper.skeleton())}
    clips = {f"deckhand.glb/{n}": (c, deckhand_rig) for n, c in deckhand_clips.items()}
    return Surroundings(rigs, clips)


def begun(kind: str, clip: Clip, rig: Rig) -> Step:
    """A step of a kind as it begins in the hand, with what it needs to do something."""
    own = KINDS[kind]
    start = own.begin(Beginning(Given(clip, rig), joint="hand_left", frame=20)) if own.begin is not None else {}
    return with_fields(make(kind, **{**start, **SETTINGS.get(kind, {})}), id="own")


def line(clip: Clip, rig: Rig, step: Step, within: Surroundings):
    """What comes of a step behind a mirror, so that there is a point before it that it may refer to."""
    steps = (with_fields(make("mirror"), id="first"), step)
    return evaluate(
        Take("a", Source("deckhand.glb", clip.name), steps, stage=Stage((Prop("crate"),))), clip, rig, within
    )


SPEAKS_OF_FRAMES = ("spans", "keys", "frame", "first", "contacts")


def given(kind: str, walk: Clip, rig: Rig) -> tuple[Clip, Rig]:
    """What a kind is laid on: the walk, or a figure without a root joint for the kind that gives it one."""
    if kind != "root-joint":
        return walk, rig
    bare = rigs.rig(2, 1)
    return replace(rigs.clip(bare, 2, walk.frames), events=walk.events, tracks=walk.tracks), bare


@pytest.mark.parametrize("option", OPTIONS)
@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_with_every_option(
    kind: str, option: str, walk: Clip, deckhand_rig: Rig, within: Surroundings
) -> None:
    clip, rig = given(kind, walk, deckhand_rig)
    step = with_fields(begun(kind, clip, rig), **OPTIONS[option])
    assert from_plain(msgspec.json.decode(msgspec.json.encode(to_plain(step)))) == step
    if not KINDS[kind].weighed and {"weight", "envelope", "mask"} & OPTIONS[option].keys() and step.acts:
        with pytest.raises(RecipeError, match="no weight, envelope or mask"):
            line(clip, rig, step, within)
        return
    found = line(clip, rig, step, within)
    before, after = found.outcomes[1], found.outcomes[2]
    if not step.acts:
        assert after.clip is before.clip
        return
    clip = after.clip
    assert all(np.isfinite(a).all() for a in (clip.rotations, clip.translations, *(t.values for t in clip.tracks)))
    assert clip.frames == len(after.times) if after.times is not None else clip.frames == before.clip.frames
    assert KINDS[kind].changes_rig or clip.skeleton.names == before.clip.skeleton.names
    _ = after.report
    if option == "mask" and clip is not before.clip:
        helpers = before.rig.helpers
        names = clip.skeleton.index
        outside = [j for n, j in names.items() if not before.rig.part_of(n).startswith("left ") and n not in helpers]
        assert np.array_equal(clip.rotations[:, outside], before.clip.rotations[:, outside])
    if option == "tied":
        free = line(*given(kind, walk, deckhand_rig), with_fields(step, tied=None), within).outcomes[2].clip
        assert np.array_equal(clip.rotations, free.rotations) and np.array_equal(clip.translations, free.translations)


def test_every_kind_that_speaks_of_frames_can_be_tied_to_an_event() -> None:
    """But for those that lay out time as a whole, the one that says where events are, and the one that speaks of frames of
    another clip."""
    whole = {"retime", "cycle", "close-loop", "events", "reverse", "blend"}
    frames = {
        k
        for k, v in KINDS.items()
        if v.moments is not None or set(SPEAKS_OF_FRAMES) & set(v.settings.__struct_fields__)
    }
    assert {k for k in frames - whole if KINDS[k].shifted is None} == set()


@pytest.mark.parametrize("kind", [k for k in KINDS.values() if k.shifted is not None], ids=lambda k: k.kind)
def test_frames_of_a_tied_step_go_with_its_event(kind, walk: Clip, deckhand_rig: Rig) -> None:
    """There and back again, and by nothing: the same settings."""
    settings = begun(kind.kind, walk, deckhand_rig).settings
    assert kind.shifted(settings, 0) == settings
    assert kind.shifted(kind.shifted(settings, 7), -7) == settings
    # What comes to lie before the clip is said so that it can be saved and read again.
    early = with_fields(begun(kind.kind, walk, deckhand_rig), settings=kind.shifted(settings, -400))
    assert from_plain(to_plain(early)).settings == early.settings


@pytest.mark.parametrize("kind", [k for k, v in KINDS.items() if v.weighs_itself or v.weighed])
def test_the_weight_leads_there_without_a_jump(kind: str, walk: Clip, deckhand_rig: Rig, within: Surroundings) -> None:
    step = begun(kind, walk, deckhand_rig)
    full = line(walk, deckhand_rig, step, within).result
    nearly = line(walk, deckhand_rig, with_fields(step, weight=0.999), within).result
    barely = line(walk, deckhand_rig, with_fields(step, weight=0.001), within).result
    before = line(walk, deckhand_rig, with_fields(step, on=False), within).result
    for near, there in ((nearly, full), (barely, before)):
        away = np.linalg.norm(near.model[1] - there.model[1], axis=-1).max()
        assert away < 0.02 and not math.isnan(away), kind

"""What a kind looks at beside its clip it also lists: a kept result would be used although that has changed."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import pytest

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import Stage
from reflexa.stage.presets import PRESETS
from reflexa.steps import KINDS
from reflexa.steps.looking import unread
from reflexa.steps.model import SOURCE, Context, Given, Outcome, Point, StepKind
from tests.helpers import rigs
from tests.helpers.toys import WOBBLE

SAID = {
    "retarget": {"rig": "other"}, "blend": {"clip": "other"}, "rename": {"rig": "other"},
    "reach": {"to": "grip", "prop": "crate"},
    "follow-through": {"chain": "upper_arm_left"}, "track": {"track": "smile"}, "foot-lock": {"look_at": "the source"},
}  # fmt: skip


def around(clip: Clip, rig: Rig) -> Context:
    stage = Stage((msgspec.structs.replace(PRESETS["crate"](), name="crate"),))
    return Context({"other": rig}, {"other": (clip, rig)}, stage, (Point(SOURCE, "the source", clip, rig),))


@pytest.mark.parametrize("kind", KINDS.values(), ids=list(KINDS))
def test_every_kind_says_what_it_reads(kind: StepKind, deckhand_clips, deckhand_rig) -> None:
    clip, rig = deckhand_clips["walk"], deckhand_rig
    if kind.kind == "root-joint":  # for figures that have none
        rig = rigs.rig(1)
        clip = rigs.clip(rig, 1)
    settings = kind.settings(**SAID.get(kind.kind, {}))
    assert unread(kind, settings, Given(clip, rig), around(clip, rig)) == []


def test_a_kind_that_forgets_is_named(deckhand_clips, deckhand_rig) -> None:
    clip = deckhand_clips["walk"]

    def run(given: Given, settings: object, context: Context) -> Outcome:
        assert context.stage.props and context.earlier
        return given.changed(given.clip)

    forgetful = replace(WOBBLE, run=run, reads=lambda _, context: [context.stage.digest])
    assert unread(forgetful, WOBBLE.settings(), Given(clip, deckhand_rig), around(clip, deckhand_rig)) == ["earlier"]

"""Helper joints behind every step: carried along where they were on their rules, left alone by whoever moves them."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from quality import clips
from quality.figure import Figure
from quality.operations import run
from reflexa.rig.helpers import distances
from reflexa.steps import Step, make
from reflexa.steps.correction import CorrectionSettings, set_key

HAUL = dict(clips.demo())["deckhand: rope haul"]
HELPER = next(n for n, rule in HAUL.rig.helpers.items() if "hand" in n and "left" in n)


def correcting(joint: str, **key: object) -> Step:
    settings = set_key(CorrectionSettings(), joint, 30, HAUL.clip.frames, **key)  # type: ignore[arg-type]
    return msgspec.structs.replace(make("correction"), settings=settings)


def off(f: Figure) -> float:
    away, turned = distances(f.rig.neutral, f.rig.helpers, *f.clip.model)[HELPER]
    return float(max(away.max(), turned.max()))


@pytest.mark.parametrize("weight", [1.0, 0.5])
def test_a_correction_of_an_arm_carries_its_helper_joints_along(weight: float) -> None:
    step = msgspec.structs.replace(correcting("upper_arm_left", rotate=(0.0, 0.0, 25.0)), weight=weight)
    assert off(HAUL) < 1e-6 and off(run(step, HAUL)) < 1e-6
    elbow = HAUL.rig.joint("left forearm")
    assert np.abs(run(step, HAUL).clip.model[1][:, elbow] - HAUL.clip.model[1][:, elbow]).max() > 0.03


def test_who_moves_a_helper_joint_means_it() -> None:
    assert off(run(correcting(HELPER, move=(0.0, 0.05, 0.0)), HAUL)) > 0.04


def test_one_that_was_off_its_rule_stays_off() -> None:
    away = run(correcting(HELPER, move=(0.0, 0.05, 0.0)), HAUL)
    assert off(run(correcting("upper_arm_left", rotate=(0.0, 0.0, 25.0)), away)) > 0.04

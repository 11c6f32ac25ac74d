"""Toes that rise are off the ground, though the foot gets no further behind."""

from __future__ import annotations

import numpy as np

from reflexa.stage import gait


def test_a_foot_that_is_lifted_straight_up_stands_no_longer_than_its_toes_are_down() -> None:
    n = 60
    body, tip = np.zeros((n, 3)), np.zeros((n, 3))
    tip[:, 2] = np.linspace(0.3, -0.3, n)  # it goes back under the body all the time
    tip[30:, 1] = 0.02 * np.arange(30)  # and up, from frame 30 on
    stands = np.arange(n) < 30
    out = gait.refined([stands, stands, stands], [tip] * 3, body, 0.9, 30.0)
    assert np.flatnonzero(out[2]).max() <= 32


def test_the_step_onto_the_jetty_does_not_jerk(deckhand_clips, deckhand_rig) -> None:
    """Its right foot is lifted straight up: held too long, its leg snapped straight in one frame."""
    from reflexa.checks.pop import off_course
    from reflexa.stage import Stage
    from reflexa.stage.presets import PRESETS
    from reflexa.steps import Context, Given, make, outcome

    stage = Stage((PRESETS["jetty step"](),))
    done = outcome(make("foot-lock"), Given(deckhand_clips["step up"], deckhand_rig), Context(stage=stage)).clip
    assert off_course(done.rotations).max() < 20.0
    pelvis = deckhand_rig.joint("pelvis")
    sunk = deckhand_clips["step up"].model[1][:, pelvis, 1] - done.model[1][:, pelvis, 1]
    assert sunk.max() < 0.04

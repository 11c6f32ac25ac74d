"""Hands as rigid bodies: on which side they are laid."""

from __future__ import annotations

import numpy as np

from quality import clips
from reflexa.motion import quat
from reflexa.rig.palms import palms

PALM = palms(clips.demo_rigs()["deckhand"].rig)["left"]


def tipping(angles: np.ndarray) -> np.ndarray:
    """A hand whose flat stands upright, tipped over to one side and the other, degrees ``(frames,)``."""
    upright = quat.between(PALM.normal, np.array([1.0, 0.0, 0.0]))
    tip = np.stack([np.zeros_like(angles), np.zeros_like(angles), np.radians(angles)], axis=1)
    return quat.multiply(quat.from_rotvec(tip), upright)


def test_a_hand_is_laid_on_one_side_for_as_long_as_it_is_under_the_ground() -> None:
    turned = tipping(np.array([20.0, 10.0, -5.0, 3.0, 40.0, -30.0, -20.0]))
    under = np.array([True, True, True, True, False, True, True])
    laid = PALM.face_down(turned, under, np.ones(7), loop=False)
    assert len(set(laid[:4])) == 1 and laid[0] != laid[5] == laid[6]


def test_round_the_seam_of_a_loop_it_is_one_side() -> None:
    turned = tipping(np.array([10.0, 5.0, 0.0, 0.0, 0.0, -30.0, -20.0]))
    under = np.array([True, True, False, False, False, True, True])
    laid = PALM.face_down(turned, under, np.ones(7), loop=True)
    assert len(set(laid[under])) == 1, "the end and the beginning are one stretch, and most of it tips the same way"
    apart = PALM.face_down(turned, under, np.ones(7), loop=False)
    assert apart[0] != apart[5]


def test_a_hand_whose_fingers_point_down_does_not_turn_over() -> None:
    angles = np.linspace(-60, 60, 41)
    turned, under = tipping(angles), np.ones(41, dtype=bool)
    laid = PALM.flattening(turned, PALM.face_down(turned, under, 1.0 + (angles > 0), loop=False))
    steps = np.degrees(quat.angle(quat.multiply(quat.conjugate(laid[:-1]), laid[1:])))
    # From 120° on the turn goes back to none over 42°: five times as fast as the hand, where the least turn would flip by 120°.
    assert steps.max() < 6 * 3.0

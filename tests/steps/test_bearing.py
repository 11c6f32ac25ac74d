"""Hands of captures that lie on the ground, roll over it and point down into it."""

from __future__ import annotations

import pytest

from quality import body, clips
from quality.operations import retarget, run, same
from reflexa.steps import make
from tests.helpers.files import DATA

RIGS = clips.demo_rigs()
CAPTURED = dict(clips.found([DATA]))


@pytest.mark.parametrize("onto", ["deckhand", "ferrykeeper"])
@pytest.mark.parametrize("name", ["getup_faceup", "roll"])
def test_hands_on_the_ground_neither_turn_over_nor_snap(name: str, onto: str) -> None:
    figure = CAPTURED[f"humanoid3d_{name}: humanoid3d_{name}"]
    found = {m.name: m for m in retarget(onto, RIGS[onto], "onto", figure) or []}
    for measured in ("turn", "spin", "hand sinks", "hand floats"):
        if (m := found.get(measured)) is not None:
            assert not m.out, m
    assert "turn" in found and "spin" in found


@pytest.mark.parametrize(
    ("name", "onto"), [("deckhand: rope haul", "ferrykeeper"), ("boxing_cut: boxing_cut", "deckhand")]
)
def test_the_skin_of_arms_stays_out_of_the_body(name: str, onto: str) -> None:
    """Measured on the skin of forearm and hand: a cuff is thicker than the arm mostly is."""
    figure = {**dict(clips.demo()), **CAPTURED}[name]
    after = run(make("retarget", rig=onto), figure, rigs={onto: RIGS[onto].rig})
    (deepest,) = body.inside(same("x", "onto", figure, after))
    assert deepest.value <= 10.0, deepest

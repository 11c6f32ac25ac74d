"""The fast part of ``./run quality``: what must hold of any step, on demo clips and made ones."""

from __future__ import annotations

import numpy as np
import pytest

from quality import clips, operations, plain
from quality.figure import Figure
from quality.model import Measure
from reflexa.motion import quat
from tests.helpers import rigs
from tests.helpers.files import DATA

_DEMO = dict(clips.demo())
_CAPTURED = dict(clips.found([DATA]))
_ALL = operations.all_of(clips.demo_rigs())


def out_of_bounds(name: str, figure: Figure, doing: str) -> list[Measure]:
    return [m for m in _ALL[doing](name, figure) or [] if m.out]


@pytest.mark.parametrize("doing", ["mirror", "foot-lock", "in place", "from pelvis", "along path", "look round",
                                   "half a blend", "spring", "spring without damping"])  # fmt: skip
def test_a_clean_walk_stays_clean(doing: str) -> None:
    assert not out_of_bounds("walk", _DEMO["deckhand: walk"], doing)


@pytest.mark.parametrize("doing", ["mirror", "in place", "from pelvis", "along path", "goal ahead", "goal across"])
def test_a_capture_stays_as_good_as_it_was(doing: str) -> None:
    name = next(n for n in _CAPTURED if n.startswith("boxing_cut"))
    assert not out_of_bounds(name, _CAPTURED[name], doing)


def test_the_instrument_sees_what_it_is_for() -> None:
    """A pop, a sunken foot and a leg stretched straight, put into a clean walk by hand, are found at their frames."""
    figure = _DEMO["deckhand: walk"]
    clip, rig = figure.clip, figure.rig
    turned = np.array(clip.rotations)
    knee = rig.joint("left shin")
    turned[12, knee] = quat.multiply(turned[12, knee], quat.about(0, np.radians(60)))
    broken = Figure(clip.with_motion(turned, clip.translations), rig)
    found = operations.measures(operations.same("walk", "by hand", figure, broken, floor=True))
    popped = [m for m in found if m.out and m.name == "turn"]
    assert popped and popped[0].frame in (11, 12) and popped[0].value > 40
    sunk = np.array(clip.translations)
    sunk[:, rig.joint("pelvis"), 1] -= 0.04
    found = operations.measures(operations.same("walk", "by hand", figure, Figure(clip.with_motion(clip.rotations, sunk), rig),
                                                floor=True))  # fmt: skip
    assert any(m.out and m.name == "sinks" and m.value > 20 for m in found)


def test_its_kinematics_are_its_own_and_the_same() -> None:
    """The instrument multiplies matrices; the product turns quaternions. They agree."""
    rig = rigs.rig(3, 1, extras=True)
    clip = rigs.clip(rig, 3, 20)
    axes, places = plain.world(clip)
    assert np.abs(places - clip.model[1]).max() < 1e-9
    assert np.abs(axes - quat.to_matrix(clip.model[0])).max() < 1e-9


def test_every_operation_is_said_as_the_product_knows_it(capsys) -> None:
    """A setting or a kind that is called otherwise would be refused, and measured no more."""
    for name, operation in _ALL.items():
        list(operations.measured(operation, name, _DEMO["deckhand: walk"]))
    assert capsys.readouterr().out == ""

"""While a hand drags, one pose follows at once; the whole take, findings and reports follow where it pauses."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from reflexa.session import Session, line, props
from reflexa.steps.correction import CorrectionSettings, set_key
from tests.helpers.sessions import new_take, ready


def bent(degrees: float) -> CorrectionSettings:
    return set_key(CorrectionSettings(), "forearm_left", 60, 128, rotate=(degrees, 0.0, 0.0))


def counting(session: Session) -> list[float]:
    """One entry for every take that was computed whole."""
    out: list[float] = []
    session.evaluator.done.connect(lambda: out.append(0.0))
    return out


def test_a_dragged_key_shows_its_pose_at_once_and_the_take_once_at_the_end(demo: Session) -> None:
    new_take(demo, "deckhand.glb", "walk to the landing")
    line.add(demo, "correction")
    ready(demo)
    demo.player.set_frame(60)
    line.edit_layer(demo, "turn", bent(1.0), "pull")
    ready(demo)
    count, j = counting(demo), demo.computed.rig.skeleton.index["forearm_left"]
    still = demo.computed.result.rotations[60, j]
    for degrees in range(2, 40):
        line.edit_layer(demo, "turn", bent(float(degrees)), "pull")
        assert demo.evaluator.preview is not None and demo.dragging
    assert not np.allclose(demo.evaluator.preview.rotations[0, j], still), "it follows the hand"
    assert not count, "nothing is computed whole meanwhile"
    shown = demo.evaluator.preview
    demo.history.end_merge()
    ready(demo)
    assert len(count) == 1 and demo.evaluator.preview is None
    assert np.allclose(demo.computed.result.rotations[60], shown.rotations[0], atol=1e-9), (
        "what was shown is what comes of it"
    )
    assert demo.evaluator.judgement.line is demo.computed.evaluation


def test_what_shows_no_single_pose_is_computed_as_fast_as_it_goes_and_judged_at_the_pause(demo: Session) -> None:
    new_take(demo, "deckhand.glb", "walk to the landing")
    line.add(demo, "correction")
    line.edit_layer(demo, "turn", bent(30.0))
    line.add(demo, "mirror")
    ready(demo)
    count, step = counting(demo), demo.take.steps[1].id
    weights = np.linspace(1.0, 0.2, 200)
    for weight in weights:
        line.weigh(demo, step, float(weight))
        demo.loop.run(lambda: True)
    assert len(count) < len(weights) and demo.dragging
    assert demo.loop.run(lambda: not demo.dragging), "nobody lets go: a pause is enough"
    ready(demo)
    assert demo.computed.evaluation.take.steps[1].weight == weights[-1]
    assert demo.evaluator.judgement.line is demo.computed.evaluation


def test_a_dragged_prop_is_computed_whole_although_a_layer_is_selected(demo: Session) -> None:
    """What a layer lies on reads the stage: its pose alone would be shown on feet as they were."""
    demo.open_take("Step up onto the jetty")
    ready(demo)
    line.add(demo, "correction")
    ready(demo)
    prop, before = demo.stage.props[0], demo.computed.result
    demo.selection.select_prop(prop.name)
    for by in range(1, 6):
        place = (prop.place[0], prop.place[1] - 0.02 * by, prop.place[2])
        props.edit(demo, "lower", replace(prop, place=place), "drag prop")
    assert demo.dragging and demo.evaluator.preview is None
    assert demo.loop.run(lambda: demo.computed.settled is not None)
    assert not np.allclose(demo.computed.result.model[1], before.model[1])
    ready(demo)


def test_another_take_ends_a_drag(demo: Session) -> None:
    new_take(demo, "deckhand.glb", "walk to the landing")
    line.add(demo, "correction")
    for degrees in range(2, 6):
        line.edit_layer(demo, "turn", bent(float(degrees)), "pull")
    assert demo.dragging
    demo.open_take("Walk, chin up")
    assert not demo.dragging
    count = counting(demo)
    ready(demo)
    demo.history.end_merge()
    ready(demo)
    assert len(count) == 1, "computed once"

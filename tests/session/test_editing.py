"""Edits of the open take: steps, layers, keys, props; what goes with what."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from reflexa.motion import quat
from reflexa.rig.notes import notes_of
from reflexa.session import RESULT, Session, keys, layers, line, props, rigs, takes
from reflexa.stage.presets import PRESETS
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.correction.layers import Merged
from reflexa.take import Segment
from tests.helpers.sessions import new_take, open_take, ready, select_step, step_id

LANDING = ("deckhand.glb", "walk to the landing")


def merge_both(session: Session) -> Merged:
    """Merge the selected layer onto the one below, and what was found for it."""
    span, found = layers.span_of(session, 2), []
    layers.find(session, span, False, found.append)
    assert session.loop.run(lambda: bool(found))
    layers.put(session, span, found[0])
    return found[0]


def test_keys_are_copied_mirrored_nudged_scaled_thinned_and_undone(demo) -> None:
    demo.open_take("Step up, right foot first")
    ready(demo)
    select_step(demo, 1)
    before = demo.take
    keys.select(demo, lambda _: True)
    count = len(demo.selection.keys)
    assert count == 3
    board = keys.copy(demo)
    demo.player.set_frame(42)
    keys.paste(demo, board, demo.player.frame)
    assert len(demo.layer.track("spine_mid").keys) == 2 * count and len(demo.selection.keys) == count
    keys.nudge(demo, 1)
    keys.nudge(demo, 1)
    assert min(f for _, f in demo.selection.keys) == 44
    keys.scale(demo, 0.5)
    keys.stretch(demo, 10)
    frames = sorted(f for _, f in demo.selection.keys)
    assert frames[-1] - frames[0] == 10
    demo.selection.select_joint("hand_left")
    demo.selection.select_card(RESULT)
    demo.player.set_frame(20)
    keys.paste(demo, board, demo.player.frame, mirrored=True)
    assert demo.step.name == "Pasted keys" and demo.layer.track("spine_mid").keys[0].frame == 20
    while demo.take != before:
        demo.undo()
    ready(demo)
    assert len(demo.take.steps) == 2


def test_layers_are_split_and_merged_and_undone_exactly(demo) -> None:
    demo.open_take("Walk, chin up")
    ready(demo)
    select_step(demo, 0)
    result = demo.computed.result
    demo.selection.select_joint("head")
    layers.split(demo)
    ready(demo)
    assert [s.name for s in demo.take.steps] == ["Chin up", "Chin up: head"]
    assert np.abs(demo.computed.result.rotations - result.rotations).max() < 1e-12
    select_step(demo, 1)
    split = demo.take
    found = merge_both(demo)
    assert found.keys <= 4 and found.degrees < 0.5
    ready(demo)
    assert len(demo.take.steps) == 1 and demo.selection.card == demo.take.steps[0].id
    turn = np.degrees(quat.angle(quat.multiply(quat.conjugate(demo.computed.result.rotations), result.rotations)))
    assert turn.max() < 0.5
    demo.undo()
    ready(demo)
    assert demo.take == split


def test_keys_are_thinned_beside_the_interface_and_only_where_nothing_else_was_done(demo) -> None:
    demo.open_take("Haul, port side")
    ready(demo)
    line.add(demo, "correction")
    full = CorrectionSettings(tracks=(Track("head", tuple(Key(f, (0.2 * f, 0.0, 0.0)) for f in range(40))),))
    line.edit_layer(demo, "fill", full)
    ready(demo)
    keys.reduce(demo, 0.5)
    demo.undo()  # quicker than the thinning
    assert demo.loop.run(lambda: not demo.work.busy)
    ready(demo)
    assert demo.layer == CorrectionSettings()
    demo.redo()
    ready(demo)
    keys.reduce(demo, 0.5)
    assert demo.loop.run(lambda: demo.layer != full)
    left = demo.layer.track("head").keys
    assert 2 <= len(left) < 10 and (left[0].frame, left[-1].frame) == (0, 39)
    demo.undo()
    assert demo.layer == full


def test_layers_are_merged_extracted_and_checked_as_they_are_not_as_one_looks_at_them(demo) -> None:
    open_take(demo, "Walk, chin up")
    select_step(demo, 0)
    line.add(demo, "correction", "Second")
    ready(demo)
    whole, findings = demo.computed.result, demo.evaluator.findings
    line.toggle_solo(demo, demo.selection.card)
    ready(demo)
    assert demo.evaluator.findings == findings, "findings are of the take"
    span, found = layers.span_of(demo, 2), []
    layers.find(demo, span, True, found.append)
    assert demo.loop.run(lambda: bool(found))
    layers.put(demo, span, found[0])
    ready(demo)
    assert len(demo.take.steps) == 1 and np.abs(demo.computed.result.model[1] - whole.model[1]).max() < 1e-6
    assert demo.selection.solo == "", "the step that was shown alone is gone"


def test_what_is_selected_looked_at_and_shown_alone_goes_with_its_step(demo) -> None:
    open_take(demo, "Step up, right foot first")
    first, second = step_id(demo, 0), step_id(demo, 1)
    select_step(demo, 1)
    demo.selection.set_view_point(second)
    line.toggle_solo(demo, demo.selection.card)
    line.move(demo, second, 0)
    ready(demo)
    assert [s.id for s in demo.take.steps] == [second, first]
    assert (demo.selection.card, demo.selection.view_point, demo.selection.solo) == (second, second, second)
    line.remove(demo, first)
    ready(demo)
    assert (demo.selection.card, demo.selection.view_point, demo.selection.solo) == (second, second, second)
    line.remove(demo, second)
    ready(demo)
    assert (demo.selection.card, demo.selection.view_point, demo.selection.solo) == (RESULT, RESULT, "")
    demo.undo()
    ready(demo)
    assert demo.selection.card == second, "after undoing a removal the step is selected again"


def test_a_prop_that_a_locked_step_holds_on_to_keeps_its_name(demo) -> None:
    open_take(demo, "Winch, hands on the crank")
    held = next(s for s in demo.take.steps if getattr(s.settings, "prop", ""))
    line.set_locked(demo, held.id, True)
    demo.selection.select_prop(held.settings.prop)
    before = demo.take
    props.edit(demo, "rename the prop", replace(demo.stage.prop(held.settings.prop), name="another"))
    assert demo.take == before
    line.set_locked(demo, held.id, False)
    props.edit(demo, "rename the prop", replace(demo.stage.prop(held.settings.prop), name="another"))
    assert demo.take.step(held.id).settings.prop == "another", "unlocked, it follows"


def test_a_step_begins_with_what_is_selected_so_that_nothing_jumps(demo) -> None:
    new_take(demo, "deckhand.glb", "lantern idle")
    before = demo.computed.result
    demo.player.set_frame(40)
    demo.selection.select_joint("hand_left")
    line.add(demo, "reach")
    ready(demo)
    assert demo.step.settings.limb == "left hand"
    assert np.abs(demo.computed.result.model[1][40] - before.model[1][40]).max() < 1e-3
    props.put(demo, PRESETS["rail"]())
    line.add(demo, "reach")
    assert (demo.step.settings.to, demo.step.settings.prop, demo.step.settings.grip) == (
        "grip",
        "rail",
        "middle",
    )
    demo.open_take("Strut, other leg first")
    ready(demo)
    demo.selection.select_joint("wing_2_right")
    line.add(demo, "follow-through")
    assert demo.step.settings.chain == "right wing"
    new_take(demo, "deckhand.glb", "walk on the spot")
    line.add(demo, "root-motion")
    assert demo.step.settings.operation == "from feet"
    new_take(demo, "deckhand.glb", "walk")
    line.add(demo, "root-motion", operation="along path", path=((0.0, 0.0), (1.0, 1.0)))
    line.add(demo, "foot-lock")
    assert demo.step.settings.look_at == "the source"


def test_a_frame_is_taken_for_neutral_and_given_back(demo) -> None:
    open_take(demo, "Walk on the spot")
    demo.player.set_frame(9)
    rigs.take_reference(demo, True)
    ready(demo)
    assert demo.computed.rig.reference is not None and max(p.residual_mm for p in demo.computed.rig.pairs) > 10
    shin = demo.computed.rig.skeleton.index["shin_left"]
    assert np.allclose(
        notes_of(demo.computed.rig).reference["shin_left"].rotation, demo.computed.result.rotations[9, shin]
    )
    rigs.take_reference(demo, False)
    ready(demo)
    assert demo.computed.rig.reference is None


def test_clips_of_another_rig_are_refused_in_words(demo) -> None:
    said: list[str] = []
    demo.failed.connect(said.append)
    takes.join(demo, [Segment(*LANDING), Segment("ferrykeeper.glb", "calling out")], "both")
    assert demo.loop.run(lambda: bool(said) or bool(demo.computed.problem))
    assert "another rig" in " ".join([*said, demo.computed.problem])

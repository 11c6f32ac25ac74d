"""The stage: props, goals on their grips."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QDoubleSpinBox

from reflexa.desktop.kinds.contacts_now import contacts_of
from reflexa.desktop.picture.handle import HUB, RODS
from reflexa.session import RESULT, props
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.steps.foot_lock.report import held
from reflexa.steps.reach import distance
from tests.helpers.hands import button, choose, click, drag, said
from tests.helpers.windows import card, finding_texts, idle, new_take, ready, saved


def test_a_step_is_put_in_moved_by_hand_and_by_number_and_feet_stand_on_it(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "step up")
    before = saved(window)
    session.selection.select_card(RESULT)
    texts = finding_texts(window)
    assert any("there is no prop under it" in t for t in texts)
    window.commands.run("put_jetty step")
    assert session.selection.prop == "jetty step" and window.tabs.currentWidget() is window.stage
    ready(qtbot, window)
    handle, view = window.viewport.handle(), window.viewport
    start = view.camera.project(handle.rod(2)[1], view.width(), view.height())
    end = view.camera.project(handle.rod(2)[1] + [0, 0, 0.1], view.width(), view.height())
    drag(view, QPoint(round(start[0]), round(start[1])), QPoint(round(end[0]), round(end[1])))
    ready(qtbot, window)
    moved = session.stage.prop("jetty step")
    assert moved.place[2] == pytest.approx(0.9, abs=0.05) and moved.place[:2] == (0.0, 0.0)
    assert session.history.undo_label == "move jetty step"
    boxes = [b for b in window.stage.findChildren(QDoubleSpinBox) if b.accessibleName().startswith("Place")]
    boxes[2].setValue(0.8)
    assert session.stage.prop("jetty step").place[2] == 0.8
    window.commands.run("add_foot-lock")
    ready(qtbot, window)
    clip, rig = session.computed.result, session.computed.rig
    contacts = contacts_of(session)
    assert all(held(clip, rig, p, session.stage).drift < 0.1 for p in contacts) and len(contacts) == 4
    assert "4 contacts found" in said(window.settings)
    session.selection.select_card(RESULT)
    assert "feet stand still" in said(window.settings) and not session.evaluator.findings
    for _ in range(4):
        session.undo()
    ready(qtbot, window)
    assert session.stage == EMPTY and saved(window) == before


def test_props_are_picked_snap_are_keyed_carried_and_saved(demo, qtbot, tmp_path: Path) -> None:
    window, session, view = demo, demo.session, demo.viewport
    new_take(window, qtbot, "deckhand.glb", "rope haul")
    window.commands.run("put_box")
    window.commands.run("put_crate")
    ready(qtbot, window)
    props.edit(session, "x", replace(session.stage.prop("crate"), place=(0.8, 0.0, 0.8)))
    session.selection.select_prop("")
    top = view.camera.project(np.array([0.8, 0.39, 0.8]) + view.seen.sight.shift, view.width(), view.height())
    click(view, QPoint(round(top[0]), round(top[1])))
    assert session.selection.prop == "crate"
    handle = view.handle()
    at = view.camera.project(handle.hub, view.width(), view.height())
    side = view.camera.project(handle.rod(0)[1], view.width(), view.height())
    way = view.camera.project(handle.rod(0)[1] - [0.28, 0, 0], view.width(), view.height())
    drag(view, QPoint(round(side[0]), round(side[1])), QPoint(round(way[0]), round(way[1])))
    assert session.stage.prop("crate").place[0] == pytest.approx(0.5), "its side meets the box's exactly"
    assert handle.at(at[0], at[1], view.camera, view.width(), view.height()) == HUB
    session.player.set_frame(0)
    click(button(window.stage, "Set key"))
    session.player.set_frame(30)
    window.stage.refresh()
    place = [b for b in window.stage.findChildren(QDoubleSpinBox) if b.accessibleName().startswith("Place")]
    place[1].setValue(0.4)
    assert [(k.frame, k.place[1]) for k in session.stage.prop("crate").keys] == [(0, 0.0), (30, 0.4)]
    choose(window.stage, "Attached to", "Right hand")
    choose(window.stage, "Attached from", "event hauled")
    click(button(window.stage, "Attach"))
    (hold,) = session.stage.prop("crate").holds
    assert hold.begin == "hauled" and hold.end == ""
    ready(qtbot, window)
    path = tmp_path / "landing.stage.json"
    window.stage.save_file(path)
    assert read_stage(path) == session.stage
    window.stage.open_file(path)
    idle(qtbot, window)
    assert len(session.stage.props) == 4 and session.selection.prop == "crate 2"
    (tmp_path / "bad.stage.json").write_text("{}")
    window.stage.open_file(tmp_path / "bad.stage.json")
    idle(qtbot, window)
    assert "not a saved stage" in window.desk.dialog.text()
    window.desk.dialog.accept()
    click(button(window.stage, "Remove it"))
    assert len(session.stage.props) == 3 and session.selection.prop == ""


def test_hands_go_to_the_crank_and_hold_it_for_a_while(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Winch, hands on the crank")
    ready(qtbot, window)
    crank = session.stage
    new_take(window, qtbot, "ferrykeeper.glb", "turning the winch")
    props.edit_stage(session, "copy the stage", crank)
    window.commands.run("add_reach")
    ready(qtbot, window)
    choose(window.settings, "What", "Left hand")
    choose(window.settings, "Target", "grip")
    choose(window.settings, "Prop", "winch crank")
    choose(window.settings, "Grip", "port")
    ready(qtbot, window)
    away, _ = distance(session.computed.result, session.computed.rig, session.step.settings, session.stage)
    assert away.max() < 1e-4 and "left hand → winch crank" in card(window, 0).toolTip()
    session.player.set_frame(20)
    click(button(window.settings, "Act from this frame"))
    session.player.set_frame(40)
    click(button(window.settings, "Hold to this frame"))
    ready(qtbot, window)
    (reach,) = session.step.settings.spans
    assert (reach.start, reach.at, reach.until, reach.end) == (12, 20, 40, 48)
    away, _ = distance(session.computed.result, session.computed.rig, session.step.settings, session.stage)
    assert away[20:41].max() < 1e-4 and np.array_equal(
        session.computed.result.rotations[:12], session.computed.evaluation.clips[0].rotations[:12]
    )
    window.commands.run("add_reach")
    choose(window.settings, "What", "Left hand")
    ready(qtbot, window)
    assert "until Reach 2" in card(window, 0).toolTip(), "the card of the first says that a later one takes the hand on"
    # The target of a goal can be pulled in the picture.
    view = window.viewport
    handle = view.handle()
    at = view.camera.project(handle.rod(1)[1], view.width(), view.height())
    point = session.step.settings.point
    drag(view, QPoint(round(at[0]), round(at[1])), QPoint(round(at[0]), round(at[1]) - 30))
    assert session.step.settings.point[1] > point[1] and session.history.undo_label == "move the target"
    assert handle.at(at[0], at[1], view.camera, view.width(), view.height()) == RODS + 1

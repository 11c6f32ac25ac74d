"""The ground through the real window: stage, path, plants, goals, findings, loops that go on."""

from __future__ import annotations

import json
import threading
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QLabel, QLineEdit, QPushButton, QSpinBox, QWidget

from reflexa.desktop.handle import HUB, RODS
from reflexa.desktop.path_pictures import PacePicture, PathPicture
from reflexa.desktop.plants_shown import plants_shown
from reflexa.desktop.session import RESULT_CARD
from reflexa.desktop.session import computing as session_module
from reflexa.desktop.tables import JointTable
from reflexa.formats import read
from reflexa.stage import EMPTY
from reflexa.stage.store import read_stage
from reflexa.steps.goal import distance
from reflexa.steps.plants.report import held
from reflexa.steps.root_motion import travel_of
from reflexa.take import Source

from .conftest import drag, ready

LEFT = Qt.MouseButton.LeftButton


def click(widget: QWidget, at: QPoint | None = None) -> None:
    QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, at or QPoint())


def double_click(widget: QWidget, at: QPoint) -> None:
    QTest.mouseDClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, at)
    QTest.mouseRelease(widget, LEFT, Qt.KeyboardModifier.NoModifier, at)


def button(panel: QWidget, text: str) -> QPushButton:
    return next(b for b in panel.findChildren(QPushButton) if b.text() == text)


def said(panel: QWidget) -> str:
    return " ".join(label.text() for label in panel.findChildren(QLabel))


def choose(panel: QWidget, name: str, text: str) -> None:
    box = next(b for b in panel.findChildren(QComboBox) if b.accessibleName() == name)
    box.setCurrentIndex(box.findText(text))
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())


def new_take(window, qtbot, file: str, clip: str) -> None:
    window.session.new_take(Source(file, clip))
    ready(qtbot, window)


def saved(window) -> dict[str, bytes]:
    window.session.save()
    return {p.name: p.read_bytes() for p in window.session.folder.rglob("*.json")}


def test_a_step_is_put_in_moved_by_hand_and_by_number_and_feet_stand_on_it(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "step up")
    before = saved(window)
    session.select_card(RESULT_CARD)
    table = window.settings.findChild(JointTable)
    texts = [table.item(r, 0).text() for r in range(table.rowCount())]
    assert any("no prop is there" in t for t in texts)
    window.commands.run("put_jetty step")
    assert session.prop == "jetty step" and window.tabs.currentWidget() is window.stage
    ready(qtbot, window)
    handle, view = window.viewport.handle(), window.viewport
    start = view.camera.project(handle.rod(2)[1], view.width(), view.height())
    end = view.camera.project(handle.rod(2)[1] + [0, 0, 0.1], view.width(), view.height())
    drag(view, QPoint(round(start[0]), round(start[1])), QPoint(round(end[0]), round(end[1])))
    ready(qtbot, window)
    moved = session.stage.prop("jetty step")
    assert moved.place[2] == pytest.approx(0.9, abs=0.05) and moved.place[:2] == (0.0, 0.0)
    assert session.undo_label() == "move jetty step"
    boxes = [b for b in window.stage.findChildren(QDoubleSpinBox) if b.accessibleName().startswith("Place")]
    boxes[2].setValue(0.8)
    assert session.stage.prop("jetty step").place[2] == 0.8
    window.commands.run("add_plants")
    ready(qtbot, window)
    clip, rig = session.result, session.rig
    plants = plants_shown(session)
    assert all(held(clip, rig, p, session.stage).drift < 0.1 for p in plants) and len(plants) == 4
    assert "4 plants found" in said(window.settings)
    session.select_card(RESULT_CARD)
    assert "Feet stand still" in said(window.settings) and not session.findings
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
    session.edit_prop("x", replace(session.stage.prop("crate"), place=(0.8, 0.0, 0.8)))
    session.select_prop("")
    top = view.camera.project(np.array([0.8, 0.39, 0.8]) + view.world_shift(), view.width(), view.height())
    click(view, QPoint(round(top[0]), round(top[1])))
    assert session.prop == "crate"
    handle = view.handle()
    at = view.camera.project(handle.hub, view.width(), view.height())
    side = view.camera.project(handle.rod(0)[1], view.width(), view.height())
    way = view.camera.project(handle.rod(0)[1] - [0.28, 0, 0], view.width(), view.height())
    drag(view, QPoint(round(side[0]), round(side[1])), QPoint(round(way[0]), round(way[1])))
    assert session.stage.prop("crate").place[0] == pytest.approx(0.5), "its side meets the box's exactly"
    assert handle.at(at[0], at[1], view.camera, view.width(), view.height()) == HUB
    session.set_frame(0)
    click(button(window.stage, "Key it here"))
    session.set_frame(30)
    window.stage.refresh()
    place = [b for b in window.stage.findChildren(QDoubleSpinBox) if b.accessibleName().startswith("Place")]
    place[1].setValue(0.4)
    assert [(k.frame, k.place[1]) for k in session.stage.prop("crate").keys] == [(0, 0.0), (30, 0.4)]
    choose(window.stage, "Carried by", "Right hand")
    choose(window.stage, "Carried from", "event hauled")
    click(button(window.stage, "Let it be carried"))
    (hold,) = session.stage.prop("crate").holds
    assert hold.begin == "hauled" and hold.end == ""
    ready(qtbot, window)
    path = tmp_path / "landing.stage.json"
    window.stage.save_file(path)
    assert read_stage(path) == session.stage
    window.stage.open_file(path)
    assert len(session.stage.props) == 4 and session.prop == "crate 2"
    (tmp_path / "bad.stage.json").write_text("{}")
    window.stage.open_file(tmp_path / "bad.stage.json")
    assert "no saved stage" in window._dialog.text()
    window._dialog.accept()
    click(button(window.stage, "Take it away"))
    assert len(session.stage.props) == 3 and session.prop == ""


def test_a_path_is_drawn_from_above_and_walked_at_a_pace(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    before = saved(window)
    window.commands.run("add_root-motion")
    choose(window.settings, "What", "along path")
    assert len(session.step.settings.path) == 4, "it begins as the clip goes anyway"
    click(button(window.settings, "Clear"))
    qtbot.waitUntil(lambda: "two points" in session.step_problem, timeout=10_000)
    assert session.result is not None, "the figure stays, the step is passed over until it can be run"
    window.commands.run("export")
    window._dialog.start()
    assert "two points" in window._dialog.said.text() and window._dialog.proof is None
    window._dialog.reject()
    click(button(window.settings, "Begin with its own way"))
    ready(qtbot, window)
    picture = window.settings.findChild(PathPicture)
    count = len(session.step.settings.path)
    last = picture.pixel(session.step.settings.path[-1]).toPoint()
    drag(picture, last, last + QPoint(-30, 0))
    ready(qtbot, window)
    x, z = session.step.settings.path[-1]
    assert x > 0.3, "the figure's left lies left in the picture"
    double_click(picture, picture.pixel((x + 0.5, z + 0.8)).toPoint())
    assert len(session.step.settings.path) == count + 1
    choose(window.settings, "Path is walked", "to its end")
    ready(qtbot, window)
    pace = window.settings.findChild(PacePicture)
    QTest.qWait(0)
    double_click(pace, pace.pixel((0.5, 1.0)).toPoint())
    middle = pace.pixel(pace.points()[1]).toPoint()
    drag(pace, middle, middle + QPoint(0, -20))
    ready(qtbot, window)
    assert session.step.settings.pace[1][1] > 1.1
    way = travel_of(session.result, session.rig)
    assert np.allclose(way.place[-1], session.step.settings.path[-1], atol=1e-4)
    assert "travels" in said(window.settings) and "The heading changes" in said(window.settings)
    # The same points can be pulled on the ground of the picture.
    view = window.viewport
    session.set_frame(64)
    view.frame_figure()
    index = 2
    a, b = session.step.settings.path[index]
    at = view.camera.project(np.array([a, 0, b]) + view.world_shift(), view.width(), view.height())
    start = QPoint(round(at[0]), round(at[1]))
    assert view.rect().contains(start)
    drag(view, start, start + QPoint(25, 0))
    assert session.step.settings.path[index] != (a, b)
    while session.undo_label() and session.take is not None and session.take.steps:
        session.undo()
    ready(qtbot, window)
    assert saved(window) == before


def test_plants_are_changed_in_their_lanes_and_undone_to_the_same_bytes(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    before = saved(window)
    session.select_card(RESULT_CARD)
    assert sum(f.kind == "foot slide" for f in session.findings) >= 8
    table = window.settings.findChild(JointTable)
    row = next(r for r in range(table.rowCount()) if "slides" in table.item(r, 0).text())
    table.selectRow(row)
    worst = max(session.findings, key=lambda f: f.size / f.threshold)
    assert session.frame == worst.worst and session.joint == worst.joint, (
        "the worst stands first, and its row leads there"
    )
    click(button(window.settings, "Plant the feet"))
    ready(qtbot, window)
    assert not [f for f in session.findings if f.kind == "foot slide"]
    lanes = window.time_area.plants
    assert lanes.isVisible() and lanes.rows() == ["left foot", "right foot"]
    found = plants_shown(session)
    p = next(q for q in found if q.limb == "left foot" and q.first > 20)
    rect = lanes.rect_of(p)
    end = QPoint(round(rect.right()) - 1, round(rect.center().y()))
    drag(lanes, end, QPoint(round(lanes.time.x(p.last - 4)), end.y()))
    ready(qtbot, window)
    assert not session.step.settings.find, "changed by hand, they are written down"
    changed = next(q for q in session.step.settings.plants if q.limb == "left foot" and q.first == p.first)
    assert changed.last == pytest.approx(p.last - 4, abs=1)
    middle = lanes.rect_of(changed).center().toPoint()
    click(lanes, middle)
    assert lanes.chosen == changed
    session.set_frame((changed.first + changed.last) // 2)
    QTest.keyClick(lanes, Qt.Key.Key_S)
    assert len(plants_shown(session)) == len(found) + 1
    session.undo()
    click(lanes, lanes.rect_of(changed).center().toPoint())
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert len(plants_shown(session)) == len(found) - 1
    double_click(lanes, middle)
    new = next(q for q in plants_shown(session) if q not in found and q.first <= lanes.time.frame(middle.x()) <= q.last)
    ready(qtbot, window)
    assert new.limb == "left foot" and held(session.result, session.rig, new, EMPTY).drift < 0.1
    click(button(window.settings, "Find anew"))
    assert session.step.settings.find and plants_shown(session)[0] == found[0]
    while session.take is not None and session.take.steps:
        session.undo()
    ready(qtbot, window)
    assert saved(window) == before


def test_thresholds_show_their_result_at_once(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    window.commands.run("add_plants")
    ready(qtbot, window)
    count = len(plants_shown(session))
    slow = next(b for b in window.settings.findChildren(QDoubleSpinBox) if b.accessibleName() == "Slow is below")
    slow.setValue(0.5)
    ready(qtbot, window)
    assert len(plants_shown(session)) < count
    slow.setValue(0.0)
    ready(qtbot, window)
    assert not plants_shown(session) and "ever low and slow" in said(window.settings)


def test_hands_go_to_the_crank_and_hold_it_for_a_while(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Winch, hands on the crank")
    ready(qtbot, window)
    crank = session.stage
    new_take(window, qtbot, "ferrykeeper.glb", "turning the winch")
    session.edit_stage("take over the stage", crank)
    window.commands.run("add_goal")
    ready(qtbot, window)
    choose(window.settings, "What", "Left hand")
    choose(window.settings, "Goes to", "grip")
    choose(window.settings, "Prop", "winch crank")
    choose(window.settings, "Grip", "port")
    ready(qtbot, window)
    away, _ = distance(session.result, session.rig, session.step.settings, session.stage)
    assert away.max() < 1e-4 and "left hand → winch crank" in said(window.revision_line)
    session.set_frame(20)
    click(button(window.settings, "Reach at this frame"))
    session.set_frame(40)
    click(button(window.settings, "Hold to this frame"))
    ready(qtbot, window)
    (reach,) = session.step.settings.reaches
    assert (reach.start, reach.at, reach.until, reach.end) == (12, 20, 40, 48)
    away, _ = distance(session.result, session.rig, session.step.settings, session.stage)
    assert away[20:41].max() < 1e-4 and np.array_equal(
        session.result.rotations[:12], session.source_clip.rotations[:12]
    )
    window.commands.run("add_goal")
    choose(window.settings, "What", "Left hand")
    ready(qtbot, window)
    assert "left hand, until" in said(window.revision_line), (
        "the card of the first says that a later one takes the hand on"
    )
    # The target of a goal can be pulled in the picture.
    view = window.viewport
    handle = view.handle()
    at = view.camera.project(handle.rod(1)[1], view.width(), view.height())
    point = session.step.settings.point
    drag(view, QPoint(round(at[0]), round(at[1])), QPoint(round(at[0]), round(at[1]) - 30))
    assert session.step.settings.point[1] > point[1] and session.undo_label() == "move the goal"
    assert handle.at(at[0], at[1], view.camera, view.width(), view.height()) == RODS + 1


def test_a_tail_follows_and_its_trail_is_shown(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Strut, feathers following")
    ready(qtbot, window)
    session.select_card(0)
    click(button(window.settings, "Show the trail of its end"))
    assert session.joint == "tail_2" and window.viewport.trail
    assert "The loop closes within 0.000°" in said(window.settings)
    assert len(window.viewport._history()) == 2, "its way before the step and after it"


def test_a_loop_goes_on_from_where_it_ended_when_it_is_played(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Walk, travel from its feet")
    ready(qtbot, window)
    far = session.result.model[1][-1, session.rig.joint("root"), 2]
    window.viewport.follow = False
    session.play()
    session.rounds = 2
    session.frame = 0
    (figure,) = window.viewport.figures()
    assert figure.placed[session.rig.joint("root")][2] == pytest.approx(2 * far, abs=1e-6)
    window.viewport.follow = True
    (figure,) = window.viewport.figures()
    assert figure.placed[session.rig.joint("root")][2] == pytest.approx(0, abs=1e-6), (
        "followed, it stays in the picture"
    )
    session.pause()
    assert session.rounds == 0


def test_a_missing_root_joint_is_offered(demo, qtbot) -> None:
    window, session = demo, demo.session
    from ..conftest import DATA

    window.import_paths([DATA / "humanoid3d_walk.bvh"])
    qtbot.waitUntil(lambda: window._dialog is not None and hasattr(window._dialog, "make_take"), timeout=10_000)
    window._dialog.accept()
    ready(qtbot, window)
    window.commands.run("add_root-motion")
    assert session.step.settings.operation == "in place", "what a rig without a root joint can do"
    choose(window.settings, "What", "from pelvis")
    qtbot.waitUntil(lambda: "no root joint" in session.problem, timeout=10_000)
    click(button(window.settings, "Give it a root joint"))
    ready(qtbot, window)
    assert session.result.skeleton.names[0] == "root_2", "a name that is free: the pelvis of this rig is called root"
    session.select_card(0)
    field = next(f for f in window.settings.findChildren(QLineEdit) if f.accessibleName() == "Called")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "motion")
    QTest.keyClick(field, Qt.Key.Key_Return)
    ready(qtbot, window)
    assert session.result.skeleton.names[0] == "motion" and "adds motion" in said(window.revision_line)
    assert QPointF(*session.result.model[1][-1, 0, [0, 2]]).y() == pytest.approx(1.2386, abs=0.01)


def test_a_step_is_turned_into_a_layer_of_keys_and_back(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_root-motion")
    choose(window.settings, "What", "turn and scale")
    step = session.step
    session.edit_step("x", replace(step, settings=replace(step.settings, angle=20.0)))
    window.commands.run("add_keep-in-world")
    ready(qtbot, window)
    assert "moves joints by up to" in said(window.settings)
    kept = session.result
    answer = QTimer(window)
    answer.timeout.connect(
        lambda: [click(b) for b in window.findChildren(QPushButton) if b.text() == "Turn it into a layer"]
    )
    answer.start(50)
    window.commands.run("turn_into_layer")
    qtbot.waitUntil(lambda: session.step is not None and session.step.kind == "correction", timeout=20_000)
    answer.stop()
    ready(qtbot, window)
    assert session.step.name == "Keep in the world"
    assert np.abs(session.result.model[1] - kept.model[1]).max() < 0.03, "within the tolerance that was told"
    session.undo()
    ready(qtbot, window)
    assert np.array_equal(session.result.rotations, kept.rotations)


def test_what_takes_long_is_told_and_can_be_stopped(demo, qtbot, monkeypatch) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk")
    window.commands.run("add_mirror")
    ready(qtbot, window)
    before, go = session.evaluation, threading.Event()
    slow = session_module.evaluate
    monkeypatch.setattr(session_module, "evaluate", lambda *a, **k: (a[4](), go.wait(20), slow(*a, **k))[2])
    session.edit_step("x", replace(session.step, weight=0.5))
    qtbot.waitUntil(lambda: "Computing Mirror (1 of 1)" in session.computing, timeout=10_000)
    window.viewport.grab()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert session.computing == "" and "Stopped" in window.statusBar().currentMessage()
    go.set()
    qtbot.waitUntil(lambda: not session.busy, timeout=10_000)
    assert session.evaluation is before, "what came too late is not shown"
    session.undo()
    ready(qtbot, window)


def test_what_is_kept_is_ticked_and_when_is_typed(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_mirror")
    window.commands.run("add_keep-in-world")
    ready(qtbot, window)
    boxes = {b.text(): b for b in window.settings.findChildren(QCheckBox)}
    assert boxes["Left foot"].isChecked() and not boxes["Head"].isChecked()
    click(boxes["Head"], QPoint(8, boxes["Head"].height() // 2))
    session.select_joint("chest")
    click(button(window.settings, "The selected joint too"))
    assert session.step.settings.joints == ("left foot", "right foot", "head", "chest")
    ready(qtbot, window)
    assert "Also chest" in said(window.settings)
    choose(window.settings, "As before", "the source")
    assert session.step.settings.since == "source"
    session.set_frame(30)
    click(button(window.settings, "Reach at this frame"))
    spin = {b.accessibleName(): b for b in window.settings.findChildren(QSpinBox)}
    spin["Reach 1, until"].setValue(20)
    (when,) = session.step.settings.when
    assert (when.at, when.until) == (20, 20), "what was typed holds, and the others give way"
    spin["Reach 1, end"].setValue(90)
    assert session.step.settings.when[0].end == 90
    ready(qtbot, window)
    session.set_frame(95)
    click(button(window.settings, "Reach at this frame"))
    assert len(session.step.settings.when) == 2
    click(next(b for b in window.settings.findChildren(QPushButton) if b.accessibleName() == "Take reach 1 away"))
    assert len(session.step.settings.when) == 1 and session.step.settings.when[0].at == 95


def test_a_drifting_and_turned_root_is_mended_by_its_own_button(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    session.add_step("root-motion", operation="turn and scale", angle=30.0)
    ready(qtbot, window)
    session.select_card(RESULT_CARD)
    assert [f.kind for f in session.findings] == ["root start"] and "1 finding" in said(window.revision_line)
    shown = [b.text() for b in window.settings.findChildren(QPushButton) if b.isVisible()]
    assert "Start at the origin" in shown and "Plant the feet" not in shown
    click(button(window.settings, "Start at the origin"))
    ready(qtbot, window)
    assert session.step.settings.operation == "to origin" and not session.findings


def test_a_loop_is_exported_several_times_over(demo, qtbot, tmp_path: Path) -> None:
    window, session = demo, demo.session
    session.open_take("Walk, travel from its feet")
    ready(qtbot, window)
    window.commands.run("export")
    dialog = window._dialog
    dialog.folder.setText(str(tmp_path))
    dialog.cycles.setValue(3)
    assert dialog.length.text().startswith("97 frames")
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None, timeout=20_000)
    dialog.reject()
    clip = read(dialog.proof.path).clips[0]
    root = clip.model[1][:, clip.skeleton.index["root"], 2]
    assert clip.frames == 97 and root[-1] == pytest.approx(3 * root[32], abs=1e-4)
    manifest = json.loads(dialog.proof.manifest.read_text())
    assert manifest["root_motion"]["mode"] == "from feet" and session.take.export.cycles == 3


def test_a_step_begins_with_what_is_selected_so_that_nothing_jumps(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    before = session.result
    session.set_frame(40)
    session.select_joint("hand_left")
    window.commands.run("add_goal")
    ready(qtbot, window)
    assert session.step.settings.limb == "left hand"
    assert np.abs(session.result.model[1][40] - before.model[1][40]).max() < 1e-3
    window.commands.run("put_rail")
    window.commands.run("add_goal")
    assert (session.step.settings.to, session.step.settings.prop, session.step.settings.grip) == (
        "grip",
        "rail",
        "middle",
    )
    session.open_take("Strut, other leg first")
    ready(qtbot, window)
    session.select_joint("wing_2_right")
    window.commands.run("add_follow-through")
    assert session.step.settings.chain == "right wing"
    new_take(window, qtbot, "deckhand.glb", "walk on the spot")
    window.commands.run("add_root-motion")
    assert session.step.settings.operation == "from feet"
    new_take(window, qtbot, "deckhand.glb", "walk")
    session.add_step("root-motion", operation="along path", path=((0.0, 0.0), (1.0, 1.0)))
    window.commands.run("add_plants")
    assert session.step.settings.look_at == "the source"


def test_a_step_that_is_kept_to_may_be_called_otherwise(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_mirror")
    session.add_step("keep-in-world", since="Mirror")
    ready(qtbot, window)
    session.rename_step(0, "Other side")
    ready(qtbot, window)
    assert session.take.steps[1].settings.since == "Other side" and not session.problem
    session.undo()
    assert session.take.steps[0].name == "Mirror" and session.take.steps[1].settings.since == "Mirror"

"""The picture: looking, comparing, picking, pulling."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from reflexa.desktop.look import theme
from reflexa.motion import kinematics
from reflexa.rig import match as match_module
from reflexa.session import RESULT, SOURCE, evaluator
from reflexa.stage import footing
from reflexa.steps import running
from tests.helpers.hands import click, drag, hover
from tests.helpers.windows import idle, joint_pixel, open_take, painted, ready, select_step, share_of, tree_item


def test_the_camera_obeys_the_mouse(demo, qtbot) -> None:
    view = demo.viewport
    start = view.camera
    drag(view, QPoint(60, 200), QPoint(160, 240))
    assert view.camera.yaw != start.yaw and view.camera.distance == start.distance
    drag(view, QPoint(60, 200), QPoint(100, 200), modifier=Qt.KeyboardModifier.ShiftModifier)
    assert view.camera.target != start.target
    QTest.keyClick(demo, Qt.Key.Key_F5)
    assert view.camera.target == pytest.approx(start.target, abs=1e-6)
    demo.commands.run("view_1")
    assert (view.camera.yaw, view.camera.pitch) == (0, 0)
    demo.commands.run("parallel")
    assert not view.camera.perspective
    before = view.grab().toImage()
    demo.commands.run("compare_2")
    assert view.grab().toImage() != before


def test_hovering_names_joints_and_taps_show_the_middle(demo, qtbot) -> None:
    window, session = demo, demo.session
    at = joint_pixel(window, "shin_left")
    QTest.mouseMove(window.viewport, at)
    hover(window.viewport, at)
    assert window.viewport.hands.hovered == "shin_left"
    click(window.revision_line.view_points[SOURCE])
    assert session.selection.view_point == SOURCE and session.computed.shown is session.computed.evaluation.clips[0]
    click(window.revision_line.view_points[SOURCE])
    assert session.selection.view_point == RESULT
    window.tabs.setCurrentIndex(1)
    session.selection.select_joint("hand_right")
    assert window.figure.tree.currentItem().text(0) == "hand_right"
    assert "partner hand_left" in window.figure.tree.currentItem().toolTip(0)


def test_a_pulled_hand_takes_its_arm_along_and_a_pulled_pelvis_leaves_the_feet(demo, qtbot) -> None:
    """One drag each: a correction, its key, its neutral keys; the bones keep their lengths, the soles their place."""
    session, view = demo.session, demo.viewport
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    session.player.set_frame(16)
    for joint, by in (("hand_left", (30, -40)), ("pelvis", (6, 14))):
        before = session.computed.result
        session.selection.select_joint(joint)
        handle = view.handle()
        assert handle.moves
        at = view.camera.project(handle.centre, view.width(), view.height())
        start = QPoint(round(at[0]), round(at[1]))
        pixel = view.camera.pixel_size(handle.centre, view.height())
        drag(view, start, QPoint(start.x() + by[0], start.y() + by[1]))
        ready(qtbot, demo)
        index = session.computed.rig.skeleton.index
        move = session.layer.track(joint).keys
        key = next(k for k in move if k.frame == 16)
        moved = session.computed.result.model[1][16] - before.model[1][16]
        assert np.abs(moved[index[joint]] - key.move).max() < 1e-3 and np.linalg.norm(key.move) > 0.02
        assert np.linalg.norm(key.move) == pytest.approx(np.hypot(*by) * pixel, rel=0.05), (
            "it goes where the pointer goes"
        )
        assert np.array_equal(session.computed.result.rotations[0], before.rotations[0])
        if joint == "hand_left":
            assert np.abs(moved[index["clavicle_left"]]).max() == 0
        else:
            assert np.abs(moved[[index["foot_left"], index["foot_right"]]]).max() < 1e-4
    assert len(session.take.steps) == 1 and [t.drives for t in session.layer.tracks] == ["limb", "body"]
    QTest.keyClick(view, Qt.Key.Key_Escape)
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert not session.take.steps


def test_ghosts_and_trail_are_drawn_where_the_figure_goes(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Walk, chin up")
    ready(qtbot, demo)
    session.player.set_frame(12)
    session.selection.select_joint("foot_left")
    plain = len(view.scene().lines)
    view.buttons["ghosts"].click()
    assert len(view.scene().lines) == plain + 4
    view.buttons["trail"].click()
    lines = view.scene().lines
    assert len(lines) == plain + 6
    way = next(line for line in lines if len(line.ends) == session.computed.frames - 1)
    here = view.figures()[0].placed[session.computed.rig.skeleton.index["foot_left"]]
    assert np.abs(way.ends[12, 0] - here).max() < 1e-9, "the trail runs through the joint"
    session.player.set_frame(0)
    assert len(view.scene().lines) == plain + 4, "there is nothing before the first frame"
    session.player.set_frame(12)
    with_trail = share_of(painted(view), theme.current().colour("accent"), 30)
    view.buttons["trail"].click()
    assert with_trail > share_of(painted(view), theme.current().colour("accent"), 30), "the trail is seen"
    now = len(view.scene().lines)
    view.buttons["weight"].click()
    assert len(view.scene().lines) == now + 2, "the way of the centre of mass, and its spot on the ground"
    from reflexa.rig.masses import centre_of_mass

    centre = centre_of_mass(session.computed.shown, session.computed.rig)[12]
    marks = [line.ends for line in view.scene().lines if len(line.ends) == 3]
    drops = [ends[0, 1] - ends[0, 0] for ends in marks]
    assert any(np.allclose(drop, [0.0, -centre[1], 0.0], atol=1e-9) for drop in drops), "straight down to the ground"
    view.buttons["weight"].click()


def test_what_is_compared_can_be_the_step_alone_or_another_take(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    select_step(demo, 1)
    view.setFocus()
    QTest.keyPress(demo, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    (shown,) = view.figures()
    assert shown.clip is session.computed.evaluation.clips[1] and "before Lean into it" in view.caption()
    QTest.keyRelease(demo, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyPress(demo, Qt.Key.Key_B)
    assert view.figures()[0].clip is session.computed.evaluation.clips[0]
    QTest.keyRelease(demo, Qt.Key.Key_B)
    assert view.figures()[0].clip is session.computed.result
    demo.clip_panel.compare_wanted.emit("Walk, as the Ferrykeeper")
    idle(qtbot, demo)
    after, other = view.figures()
    assert (
        view.look.compare == "Side by side"
        and other.rig.skeleton.names[0] == "Base"
        and after.clip is session.computed.result
    )
    picture = painted(view)[60:-60]
    middle = picture.shape[1] // 2
    sky = np.abs(picture - picture[:, :1]).max(axis=-1) > 40
    assert sky[:, :middle].any() and sky[:, middle:].any(), "one stands left, one right"
    demo.clip_panel.compare_wanted.emit("")
    assert view.figures()[1].clip is session.computed.evaluation.clips[0]


def test_a_mask_is_painted_in_the_picture_and_mirrored(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    select_step(demo, 0)
    paint = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Paint")
    QTest.mouseClick(paint, Qt.MouseButton.LeftButton)
    assert session.selection.painting and view.handle() is None
    plain = view.figures()[0].colours
    at = joint_pixel(demo, "thigh_left")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at)
    ready(qtbot, demo)
    below = [
        session.computed.rig.skeleton.names[j]
        for j in session.computed.rig.skeleton.below(session.computed.rig.skeleton.index["thigh_left"])
    ]
    assert set(session.step.mask.joints) == set(below)
    assert not np.allclose(view.figures()[0].colours, plain), "the weights are seen on the figure"
    demo.tabs.setCurrentIndex(1)
    demo.figure.tree.itemClicked.emit(tree_item(demo, "toes_left"), 0)
    ready(qtbot, demo)
    assert set(session.step.mask.joints) == set(below) - {"toes_left"}
    mirror = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Mirror")
    QTest.mouseClick(mirror, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert set(session.step.mask.joints) == {"thigh_right", "shin_right", "foot_right"}
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert session.step.mask is None


def test_a_loop_goes_on_from_where_it_ended_when_it_is_played(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Walk, travel from its feet")
    ready(qtbot, window)
    far = session.computed.result.model[1][-1, session.computed.rig.joint("root"), 2]
    window.viewport.set_look(follow=False)
    session.player.play()
    session.player.rounds = 2
    session.player.frame = 0
    (figure,) = window.viewport.figures()
    assert figure.placed[session.computed.rig.joint("root")][2] == pytest.approx(2 * far, abs=1e-6)
    window.viewport.set_look(follow=True)
    (figure,) = window.viewport.figures()
    assert figure.placed[session.computed.rig.joint("root")][2] == pytest.approx(0, abs=1e-6), (
        "followed, it stays in the picture"
    )
    session.player.pause()
    assert session.player.rounds == 0


@pytest.mark.parametrize(
    "name",
    [
        "Walk with the lantern",
        *(
            pytest.param(n, marks=pytest.mark.long)
            for n in ("Walk, skating fixed", "Walk, as the Ferrykeeper", "Walk along the quay")
        ),
    ],
)
def test_scrubbing_and_painting_compute_nothing(demo, qtbot, monkeypatch, name) -> None:
    """A frame that is scrubbed to is looked up: nothing is evaluated, measured or found while it is painted."""
    open_take(demo, qtbot, name)
    select_step(demo, 0)
    demo.clip_panel.compare_wanted.emit("Walk, chin up")
    demo.viewport.set_compare("Side by side")
    idle(qtbot, demo)
    for signal in (demo.time_area.grab, demo.viewport.grab, demo.settings.grab, demo.clip_panel.grab):
        signal()
    qtbot.waitUntil(lambda: not demo.clip_panel.previews.due and not demo.session.work.busy)
    called: list[str] = []
    for module, function in (
        (evaluator, "evaluate"), (evaluator, "outcome"), (running, "apply"), (running, "outcome"), (footing, "footing"),
        (match_module, "_segments"), (kinematics, "forward"),
    ):  # fmt: skip
        monkeypatch.setattr(module, function, lambda *a, n=function, **k: called.append(n))
    for frame in range(4, 12):
        demo.session.player.set_frame(frame)
        QApplication.processEvents()
        demo.viewport.grab()
        demo.time_area.grab()
    assert called == [] and not demo.session.work.busy

"""What the window adds for kinds of steps."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QPushButton, QScrollArea, QSpinBox

from reflexa.desktop.kinds.blend import BlendPanel
from reflexa.desktop.look import theme
from reflexa.desktop.widgets.folding import Folding
from reflexa.session import RESULT, line
from reflexa.steps import KINDS
from tests.helpers.hands import button, choose, click, drag, said
from tests.helpers.windows import (
    finding_texts,
    idle,
    new_take,
    open_take,
    painted,
    ready,
    select_step,
    share_of,
    step_id,
)


def test_a_clip_is_blended_over_an_arm_slid_by_hand_and_taken_from_another_take(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    demo.commands.run("add_blend")
    qtbot.waitUntil(lambda: bool(session.computed.problem))
    box = next(b for b in demo.settings.findChildren(QComboBox) if b.accessibleName() == "Clip")
    names = [box.itemData(i) for i in range(box.count())]
    assert (
        "deckhand.glb/lantern idle" in names and "take:Walk, chin up" in names and "take:Walk on the spot" not in names
    )
    box.setCurrentIndex(names.index("deckhand.glb/lantern idle"))
    box.activated.emit(box.currentIndex())
    ready(qtbot, demo)
    masks = next(b for b in demo.settings.findChildren(QComboBox) if b.accessibleName() == "Joints")
    masks.setCurrentIndex(masks.findText("Right arm"))
    masks.activated.emit(masks.currentIndex())
    ready(qtbot, demo)
    index = session.computed.rig.skeleton.index
    source = session.computed.evaluation.clips[0]
    assert np.array_equal(
        session.computed.result.rotations[:, index["shin_left"]], source.rotations[:, index["shin_left"]]
    )
    assert not np.allclose(
        session.computed.result.rotations[:, index["forearm_right"]], source.rotations[:, index["forearm_right"]]
    )
    strips = demo.settings.findChild(BlendPanel).strips
    before = session.computed.result
    drag(strips, QPoint(60, 48), QPoint(60 + round(strips.width() / 4), 48))
    ready(qtbot, demo)
    assert session.step.settings.shift == pytest.approx(8, abs=1)
    assert not np.allclose(session.computed.result.rotations, before.rotations)
    session.undo()
    ready(qtbot, demo)
    assert session.step.settings.shift == 0, "a slide is one undo"
    names = [box.itemData(i) for i in range(box.count())]
    box.setCurrentIndex(names.index("take:Walk, chin up"))
    box.activated.emit(box.currentIndex())
    ready(qtbot, demo)
    assert "33 frames" in demo.settings.findChild(BlendPanel).summary.text()
    t = theme.current()
    strip = painted(strips)
    assert share_of(strip, t.colour("left")) > 0.01 and share_of(strip, t.colour("right")) > 0.01, (
        "feet are marked on both"
    )


def test_a_tail_follows_and_its_trail_is_shown(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Strut, feathers following")
    ready(qtbot, window)
    select_step(demo, 0)
    idle(qtbot, window)
    click(button(window.settings, "Show the trail of its end"))
    assert session.selection.joint == "tail_2" and window.viewport.look.trail
    assert "The loop closes within 0.000°" in said(window.settings)
    ways = [s for s in window.viewport.scene().lines if len(s.ends) == session.computed.frames - 1]
    assert len(ways) == 2, "its way before the step and after it"


def test_what_is_kept_is_ticked_and_when_is_typed(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_mirror")
    window.commands.run("add_pin")
    ready(qtbot, window)
    boxes = {b.text(): b for b in window.settings.findChildren(QCheckBox)}
    assert boxes["Left foot"].isChecked() and not boxes["Head"].isChecked()
    click(boxes["Head"], QPoint(8, boxes["Head"].height() // 2))
    session.selection.select_joint("chest")
    click(button(window.settings, "Add the selected joint"))
    assert session.step.settings.joints == ("left foot", "right foot", "head", "chest")
    ready(qtbot, window)
    assert "Also chest" in said(window.settings)
    choose(window.settings, "As before", "the source")
    assert session.step.settings.since == "source"
    session.player.set_frame(30)
    click(button(window.settings, "Act from this frame"))
    spin = {b.accessibleName(): b for b in window.settings.findChildren(QSpinBox)}
    spin["Span 1, until"].setValue(20)
    (when,) = session.step.settings.spans
    assert (when.at, when.until) == (20, 20), "what was typed holds, and the others give way"
    spin["Span 1, end"].setValue(90)
    assert session.step.settings.spans[0].end == 90
    ready(qtbot, window)
    session.player.set_frame(95)
    click(button(window.settings, "Act from this frame"))
    assert len(session.step.settings.spans) == 2
    click(next(b for b in window.settings.findChildren(QPushButton) if b.accessibleName() == "Remove span 1"))
    assert len(session.step.settings.spans) == 1 and session.step.settings.spans[0].at == 95


def test_stray_helper_joints_are_found_and_put_back_with_one_click(demo, qtbot) -> None:
    open_take(demo, qtbot, "Winch, marks put back")
    session = demo.session
    line.remove(session, step_id(demo, 0))
    ready(qtbot, demo)
    session.selection.select_card(RESULT)
    assert "MarkHandPort is up to 6" in " ".join(finding_texts(demo))
    assert "4 findings" in said(demo.revision_line)
    button = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Put helper joints back")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert session.take.steps[-1].kind == "helper-joints"
    session.selection.select_card(RESULT)
    assert "helper joints are in place" in " ".join(label.text() for label in demo.settings.findChildren(QLabel))


def test_no_kind_is_wider_than_its_panel_with_everything_unfolded(demo, qtbot) -> None:
    demo.resize(1280, 800)
    session = demo.session
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    wide = {}
    for kind in KINDS:
        line.add(session, kind)
        for part in demo.settings.findChildren(Folding):
            if not part.opened:
                part.heading.setChecked(True)
        idle(qtbot, demo)
        (area,) = demo.settings.findChildren(QScrollArea, options=Qt.FindChildOption.FindDirectChildrenOnly)
        if area.widget().minimumSizeHint().width() > area.viewport().width():
            wide[kind] = area.widget().minimumSizeHint().width(), area.viewport().width()
        session.undo()
    assert not wide

"""Contacts, seen and corrected by hand in the time area."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from reflexa.desktop.kinds.contacts_now import contacts_of
from reflexa.session import rigs
from reflexa.session.selection import RESULT
from tests.helpers.hands import button, click, double_click, drag, said
from tests.helpers.windows import joint_pixel, new_take, ready, saved


def test_contacts_are_detected_shown_on_lanes_and_dragged(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "rope haul")
    before = saved(window)
    window.commands.run("add_contacts")
    ready(qtbot, window)
    lanes, found = window.time_area.lanes, contacts_of(session)
    assert lanes.isVisible()
    assert lanes.rows()[:3] == ["left foot", "right foot", "left hand"] and "left hand on right hand" in lanes.rows()
    assert "detected" in said(window.settings)
    pair = next(c for c in found if c.name == "left hand on right hand")
    rect = lanes.rect_of(pair)
    end = QPoint(round(rect.right()) - 1, round(rect.center().y()))
    drag(lanes, end, QPoint(round(lanes.time.x(pair.last - 10)), end.y()))
    ready(qtbot, window)
    assert not session.step.settings.find, "corrected by hand, they are listed"
    changed = next(c for c in session.step.settings.contacts if c.name == pair.name)
    assert (
        changed.last == pytest.approx(pair.last - 10, abs=1)
        and session.computed.result.contacts == session.step.settings.contacts
    )
    click(lanes, lanes.rect_of(changed).center().toPoint())
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert not [c for c in contacts_of(session) if c.name == pair.name]
    session.undo()
    row = lanes.rows().index("left hand") * lanes.row + 10
    double_click(lanes, QPoint(round(lanes.time.x(30)), row))
    assert any(c.limb == "left hand" and not c.other and c.first <= 30 <= c.last for c in contacts_of(session))
    click(button(window.settings, "Detect again"))
    ready(qtbot, window)
    assert session.step.settings.find and contacts_of(session) == found
    while session.take is not None and session.take.steps:
        session.undo()
    ready(qtbot, window)
    assert saved(window) == before


def test_two_parts_are_picked_in_the_picture_and_touch_there(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk")
    window.commands.run("add_contacts")
    ready(qtbot, window)
    session.player.set_frame(16)
    before, two = contacts_of(session), button(window.settings, "Pick two parts that touch…")
    click(two)
    assert two.isChecked() and session.selection.waiting is not None
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not two.isChecked() and session.selection.waiting is None, "called off"
    click(two)
    for joint in ("index_1_left", "head"):  # a finger is its hand's
        QTest.mouseClick(window.viewport, Qt.MouseButton.LeftButton, pos=joint_pixel(window, joint))
    assert session.selection.waiting is None and session.selection.joint == "head"
    (new,) = [c for c in contacts_of(session) if c not in before]
    assert (new.limb, new.other) == ("left hand", "head") and new.first <= 16 <= new.last
    ready(qtbot, window)
    assert "left hand on head" in window.time_area.lanes.rows()
    assert session.history.undo_label == "left hand on head"
    session.undo()
    ready(qtbot, window)
    assert contacts_of(session) == before and session.step.settings.find
    for joints in (("thigh_left", "thigh_right"), ("hand_left", "hand_left"), ("hand_left", "forearm_left")):
        click(button(window.settings, "Pick two parts that touch…"))
        for joint in joints:
            rigs.pick(session, joint)
        assert contacts_of(session) == before, "a hand touches, and not its own arm"
    click(button(window.settings, "Pick two parts that touch…"))
    session.selection.select_card(RESULT)
    assert session.selection.waiting is None, "another card is worked on"

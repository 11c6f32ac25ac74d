"""Root motion and contacts, drawn and changed by hand."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDoubleSpinBox, QLineEdit, QPushButton

from reflexa.desktop.actions import files
from reflexa.desktop.kinds.contacts_now import contacts_of
from reflexa.desktop.kinds.pace_picture import PacePicture
from reflexa.desktop.kinds.path_picture import PathPicture
from reflexa.desktop.settings.findings_tree import FindingsTree
from reflexa.session import RESULT, line
from reflexa.stage import EMPTY
from reflexa.steps.foot_lock.report import held
from reflexa.steps.root_motion import travel_of
from tests.helpers.hands import button, choose, click, double_click, drag, said
from tests.helpers.windows import new_take, ready, saved, select_step


def test_a_path_is_drawn_from_above_and_walked_at_a_pace(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    before = saved(window)
    window.commands.run("add_root-motion")
    choose(window.settings, "What", "along path")
    assert len(session.step.settings.path) == 4, "it begins as the clip goes anyway"
    click(button(window.settings, "Clear"))
    qtbot.waitUntil(lambda: "two points" in session.computed.step_problem)
    assert session.computed.result is not None, "the figure stays, the step is passed over until it can be run"
    window.commands.run("export")
    window.desk.dialog.start()
    qtbot.waitUntil(lambda: "two points" in window.desk.dialog.said.text())
    assert window.desk.dialog.proof is None
    window.desk.dialog.reject()
    click(button(window.settings, "Start from its own path"))
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
    # Without a mouse: the last point, a step of 5 cm to the left, one more behind it, and out again.
    picture.setFocus()
    picture.hot = -1
    QTest.keyClick(picture, Qt.Key.Key_PageUp)
    drawn = session.step.settings.path
    QTest.keyClick(picture, Qt.Key.Key_Left)
    (x0, z0), (x1, z1) = drawn[-1], session.step.settings.path[-1]
    assert abs(x1 - x0 - 0.05) < 0.026 and abs(z1 - z0) < 0.026, "on the grid of 5 cm, to the figure's left"
    QTest.keyClick(picture, Qt.Key.Key_Insert)
    assert len(session.step.settings.path) == len(drawn) + 1
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert session.step.settings.path[:-1] == drawn[:-1]
    while session.step.settings.path != drawn:
        session.undo()
    ready(qtbot, window)
    choose(window.settings, "Path length", "to its end")
    ready(qtbot, window)
    pace = window.settings.findChild(PacePicture)
    QTest.qWait(0)
    double_click(pace, pace.pixel((0.5, 1.0)).toPoint())
    middle = pace.pixel(pace.points()[1]).toPoint()
    drag(pace, middle, middle + QPoint(0, -20))
    ready(qtbot, window)
    assert session.step.settings.pace[1][1] > 1.1
    way = travel_of(session.computed.result, session.computed.rig)
    assert np.allclose(way.place[-1], session.step.settings.path[-1], atol=1e-4)
    assert "travels" in said(window.settings) and "The heading changes" in said(window.settings)
    # The same points can be pulled on the ground of the picture.
    view = window.viewport
    session.player.set_frame(64)
    view.frame_figure()
    index = 2
    a, b = session.step.settings.path[index]
    at = view.camera.project(np.array([a, 0, b]) + view.seen.sight.shift, view.width(), view.height())
    start = QPoint(round(at[0]), round(at[1]))
    assert view.rect().contains(start)
    drag(view, start, start + QPoint(25, 0))
    assert session.step.settings.path[index] != (a, b)
    while session.history.undo_label and session.take is not None and session.take.steps:
        session.undo()
    ready(qtbot, window)
    assert saved(window) == before


@pytest.mark.long
def test_plants_are_changed_in_their_lanes_and_undone_to_the_same_bytes(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    before = saved(window)
    session.selection.select_card(RESULT)
    assert sum(f.kind == "slide" for f in session.evaluator.findings) >= 8
    tree = window.settings.findChild(FindingsTree)
    assert tree.topLevelItemCount() == 2, "one fact is one row: left leg, right leg"
    assert "Left leg: foot slide ×4" in [tree.topLevelItem(i).text(0) for i in range(2)]
    tree.setCurrentItem(tree.topLevelItem(0))
    worst = max(session.evaluator.findings, key=lambda f: f.size / f.threshold)
    assert session.player.frame == worst.worst and session.selection.joint == worst.joint, (
        "the worst stands first, and its row leads there"
    )
    click(button(window.settings, "Lock the feet"))
    ready(qtbot, window)
    assert not [f for f in session.evaluator.findings if f.kind == "slide"]
    lanes = window.time_area.lanes
    assert lanes.isVisible() and lanes.rows() == ["left foot", "right foot"]
    found = contacts_of(session)
    p = next(q for q in found if q.limb == "left foot" and q.first > 20)
    rect = lanes.rect_of(p)
    end = QPoint(round(rect.right()) - 1, round(rect.center().y()))
    drag(lanes, end, QPoint(round(lanes.time.x(p.last - 4)), end.y()))
    ready(qtbot, window)
    assert not session.step.settings.find, "changed by hand, they are written down"
    changed = next(q for q in session.step.settings.contacts if q.limb == "left foot" and q.first == p.first)
    assert changed.last == pytest.approx(p.last - 4, abs=1)
    middle = lanes.rect_of(changed).center().toPoint()
    click(lanes, middle)
    assert lanes.chosen == changed
    session.player.set_frame((changed.first + changed.last) // 2)
    QTest.keyClick(lanes, Qt.Key.Key_S)
    assert len(contacts_of(session)) == len(found) + 1
    session.undo()
    click(lanes, lanes.rect_of(changed).center().toPoint())
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert len(contacts_of(session)) == len(found) - 1
    double_click(lanes, middle)
    new = next(q for q in contacts_of(session) if q not in found and q.first <= lanes.time.frame(middle.x()) <= q.last)
    ready(qtbot, window)
    assert new.limb == "left foot" and held(session.computed.result, session.computed.rig, new, EMPTY).drift < 0.1
    click(button(window.settings, "Detect again"))
    assert session.step.settings.find and contacts_of(session)[0] == found[0]
    while session.take is not None and session.take.steps:
        session.undo()
    ready(qtbot, window)
    assert saved(window) == before


def test_thresholds_show_their_result_at_once(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    window.commands.run("add_foot-lock")
    ready(qtbot, window)
    count = len(contacts_of(session))
    slow = next(b for b in window.settings.findChildren(QDoubleSpinBox) if b.accessibleName() == "Speed below")
    slow.setValue(0.5)
    ready(qtbot, window)
    assert len(contacts_of(session)) < count
    slow.setValue(0.0)
    ready(qtbot, window)
    assert not contacts_of(session) and "No foot contacts were found" in said(window.settings)


def test_a_missing_root_joint_is_offered(demo, qtbot) -> None:
    window, session = demo, demo.session
    from tests.helpers.files import DATA

    files.import_paths(window.desk, [DATA / "humanoid3d_walk.bvh"])
    qtbot.waitUntil(lambda: window.desk.dialog is not None and hasattr(window.desk.dialog, "make_take"))
    window.desk.dialog.accept()
    ready(qtbot, window)
    window.commands.run("add_root-motion")
    assert session.step.settings.operation == "in place", "what a rig without a root joint can do"
    choose(window.settings, "What", "from pelvis")
    qtbot.waitUntil(lambda: "no root joint" in session.computed.problem)
    click(button(window.settings, "Add a root joint"))
    ready(qtbot, window)
    assert session.computed.result.skeleton.names[0] == "root_2", (
        "a name that is free: the pelvis of this rig is called root"
    )
    select_step(demo, 0)
    field = next(f for f in window.settings.findChildren(QLineEdit) if f.accessibleName() == "Name")
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "motion")
    QTest.keyClick(field, Qt.Key.Key_Return)
    ready(qtbot, window)
    assert session.computed.result.skeleton.names[0] == "motion" and "adds motion" in said(window.revision_line)
    assert QPointF(*session.computed.result.model[1][-1, 0, [0, 2]]).y() == pytest.approx(1.2386, abs=0.01)


def test_a_drifting_and_turned_root_is_mended_by_its_own_button(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    line.add(session, "root-motion", operation="turn and scale", angle=30.0)
    ready(qtbot, window)
    session.selection.select_card(RESULT)
    assert [f.kind for f in session.evaluator.findings] == ["root-start"] and "1 finding" in said(window.revision_line)
    shown = [b.text() for b in window.settings.findChildren(QPushButton) if b.isVisible()]
    assert "Start at the origin" in shown and "Lock the feet" not in shown
    click(button(window.settings, "Start at the origin"))
    ready(qtbot, window)
    assert session.step.settings.operation == "to origin" and not session.evaluator.findings

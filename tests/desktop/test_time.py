"""The time area: playing, keys, curves, the envelope."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from reflexa.desktop.kinds.correction import CorrectionPanel
from reflexa.desktop.kinds.retime import CurvePicture
from reflexa.desktop.look import theme
from reflexa.project import store
from reflexa.project.store import Project
from reflexa.session import line
from reflexa.steps.correction import CorrectionSettings, Key, Track
from tests.helpers.hands import LEFT, click, drag
from tests.helpers.windows import card, idle, open_take, painted, ready, select_step, share_of


def test_keys_are_selected_boxed_and_shaped(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Lantern to the other hand")
    ready(qtbot, window)
    select_step(demo, 0)
    lanes = window.time_area.keys
    first, last = lanes.key_place("upper_arm_right", 64), lanes.key_place("forearm_right", 82)
    drag(lanes, first - QPoint(12, 9), last + QPoint(12, 9))
    assert session.selection.keys == {(j, f) for j in ("upper_arm_right", "forearm_right") for f in (64, 82)}
    window.commands.run("keys_hold")
    assert {k.then for t in session.layer.tracks for k in t.keys if k.frame < 100} == {"hold"}
    click(lanes, lanes.key_place("forearm_right", 82))
    assert session.player.frame == 82 and session.selection.joint == "forearm_right"
    panel = window.settings.findChild(CorrectionPanel)
    assert panel.fields[0].box.value() == 16.0 and panel.fields[0].box.suffix() == "°"
    panel.fields[4].box.setValue(3.0)
    assert session.layer.track("forearm_right").keys[1].move == (0.0, 0.03, 0.0), "typed centimetres are metres inside"


def test_envelope_points_come_go_and_move(demo, qtbot) -> None:
    window, session = demo, demo.session
    click(card(window, 0).name)
    lanes = window.time_area.envelope

    def at(frame: float, weight: float) -> QPoint:
        return lanes.pixel((frame, weight)).toPoint()

    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(10, 0.5))
    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(40, 0.5))
    assert session.step.envelope == ((10.0, 1.0), (40.0, 1.0))
    drag(lanes, at(10, 1.0), at(12, 0.0))
    assert session.step.envelope == ((12.0, 0.0), (40.0, 1.0))
    ready(qtbot, window)
    assert np.array_equal(session.computed.result.rotations[:13], session.computed.evaluation.clips[0].rotations[:13])
    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(40, 1.0))
    assert len(session.step.envelope) == 1


def test_points_of_a_curve_are_set_without_a_mouse(demo, qtbot) -> None:
    window, session = demo, demo.session
    click(card(window, 0).name)
    lanes = window.time_area.envelope
    lanes.setFocus()
    for frame in (20, 60):
        session.player.set_frame(frame)
        QTest.keyClick(lanes, Qt.Key.Key_Insert)
    assert session.step.envelope == ((20.0, 1.0), (60.0, 1.0)), "at the playhead, on the envelope as it is"
    QTest.keyClick(lanes, Qt.Key.Key_PageUp)
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Up):
        QTest.keyClick(lanes, key)
    assert session.step.envelope == ((21.0, 0.95), (60.0, 1.0)) and session.player.frame == 60
    QTest.keyClick(lanes, Qt.Key.Key_PageDown)
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert session.step.envelope == ((21.0, 0.95),)
    window.commands.run("undo")
    assert len(session.step.envelope) == 2
    # The same hands set the curve of time and the pace of a path.
    line.add(session, "retime", how="curve", curve=[[0, 0], [128, 128]])
    ready(qtbot, window)
    picture = window.settings.findChild(CurvePicture)
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_Insert)
    QTest.keyClick(picture, Qt.Key.Key_Left)
    (_, first), (old, new), *_ = session.step.settings.curve
    assert first == 0 and old > new
    QTest.keyClick(picture, Qt.Key.Key_PageUp)
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert len(session.step.settings.curve) == 3, "both ends stay"


def test_playing_scrubbing_and_the_range(demo, qtbot) -> None:
    window, session = demo, demo.session
    seen: list[int] = []
    window.viewport.setFocus()
    session.player.moved.connect(lambda: seen.append(session.player.frame))
    QTest.keyClick(window.viewport, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(set(seen)) > 5)
    assert session.player.playing
    card(window, 0).slider.setValue(50)
    qtbot.waitUntil(lambda: session.computed.evaluation.take.steps[0].weight == 0.5)
    assert session.player.playing, "weights work while playing"
    QTest.keyClick(window.viewport, Qt.Key.Key_Space)
    assert not session.player.playing
    ruler, time = window.time_area.ruler, window.time_area.time
    click(ruler, QPoint(round(time.x(30)), 35))
    assert session.player.frame == 30
    QTest.keyClick(window.viewport, Qt.Key.Key_Right)
    QTest.keyClick(window.viewport, Qt.Key.Key_BracketRight)
    assert session.player.frame == 31 and session.computed.range == (0, 31)
    drag(ruler, QPoint(round(time.x(0)) - 3, 40), QPoint(round(time.x(8)) - 3, 40))
    assert session.computed.range[0] in (8, 9) and session.take.export.last == 31
    QTest.keyClick(window.viewport, Qt.Key.Key_Home)
    assert session.player.frame == session.computed.range[0]


def test_a_key_sheet_full_of_keys_is_drawn_as_ticks_and_still_taken_by_hand(demo, qtbot) -> None:
    """Keys closer than their shapes are ticks; zoomed in they have shapes again, in the same places."""
    session, lanes, time = demo.session, demo.time_area.keys, demo.time_area.time
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    line.add(session, "correction")
    ready(qtbot, demo)
    keys = tuple(Key(f, (float(f % 7), 0.0, 0.0)) for f in range(session.computed.frames))
    line.edit_layer(session, "fill", CorrectionSettings(tracks=(Track("head", keys), Track("neck", keys[::20]))))
    ready(qtbot, demo)
    time.last = time.first + 160.0  # out beyond what a wheel allows, as on a long clip
    time.changed.emit()
    row, other = lanes.rows
    assert lanes.dense(row) and not lanes.dense(other)
    accent = theme.current().colour("accent")
    assert share_of(painted(lanes)[4:26], accent) == 0, "ticks have no colour"
    time.show_all()
    time.zoom(0.2, time.x(30))
    assert not lanes.dense(row)
    at = lanes.key_place("head", 31)
    key = painted(lanes)[at.y() - 3 : at.y() + 4, at.x() - 3 : at.x() + 4]
    assert share_of(key, accent) > 0.5, "it has its shape again"
    click(lanes, lanes.key_place("head", 31))
    assert session.selection.keys == {("head", 31)} and session.selection.joint == "head"
    drag(lanes, lanes.key_place("neck", 40), lanes.key_place("neck", 43))
    ready(qtbot, demo)
    assert [k.frame for k in session.layer.track("neck").keys] == [0, 20, 43, 60]


def test_a_curve_is_shaped_by_hand_and_the_result_can_be_judged(demo, qtbot) -> None:
    session, curves = demo.session, demo.time_area.curves
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    select_step(demo, 1)
    session.selection.select_joint("spine_mid")
    demo.commands.run("page_turn")
    demo.time_area.repaint()
    before = painted(curves)
    assert len(np.unique(before.reshape(-1, 3), axis=0)) > 20, "three curves over a scale"
    key = next(k for k in session.layer.track("spine_mid").keys if k.frame == 24)
    start = QPoint(round(curves.time.x(24)), round(curves.values.pixel(key.rotate[0], 0)))
    step = curves.time.frame_width()
    end = QPoint(round(curves.time.x(27)), round(curves.values.pixel(key.rotate[0] - 3.0, 0)))
    drag(curves, start, end)
    ready(qtbot, demo)
    moved = session.layer.track("spine_mid").keys
    now = next(k for k in moved if k.frame == 27)
    assert (
        now.rotate[0] == pytest.approx(key.rotate[0] - 3.0, abs=0.4) and now.rotate[1:] == key.rotate[1:] and step > 1
    )
    assert all(k.frame != 24 for k in moved)
    session.undo()
    assert next(k for k in session.layer.track("spine_mid").keys if k.frame == 24) == key, "a drag is one undo"
    demo.commands.run("page_place")
    values = curves.curve(session.layer)
    assert values[10] == pytest.approx(
        100 * session.computed.shown.model[1][10, session.computed.rig.skeleton.index["spine_mid"]]
    )
    assert curves.key_at(QPointF(start)) is None, "what comes out is only looked at"
    demo.commands.run("page_angles")
    assert curves.curve(session.layer).shape == (76, 3)
    session.selection.select_joint("head")
    demo.commands.run("page_move")
    assert "no keys" in curves.why_empty()
    demo.commands.run("page_keys")
    assert demo.time_area.pages.currentIndex() == 0


def test_a_tangent_that_is_dragged_makes_plain_data(demo, qtbot, tmp_path) -> None:
    session, curves = demo.session, demo.time_area.curves
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    select_step(demo, 1)
    session.selection.select_joint("spine_mid")
    session.selection.select_keys({("spine_mid", 24)})
    demo.commands.run("keys_eased")
    demo.commands.run("page_turn")
    demo.time_area.repaint()
    tangent = next(t for t in curves.tangents() if (t.axis, t.way) == (0, "leave"))
    drag(curves, tangent.bead.toPoint(), tangent.bead.toPoint() + QPoint(0, -14))
    ready(qtbot, demo)
    key = next(k for k in session.layer.track("spine_mid").keys if k.frame == 24)
    assert key.leave and {type(x) for x in (*key.leave, *key.arrive)} == {float}
    assert session.computed.settled is not None, "it is computed"
    store.save(Project("p", takes=(session.take,)), tmp_path / "kept")
    again = store.load(tmp_path / "kept").takes[0].steps[1].settings.track("spine_mid").keys[1]
    assert again.leave == pytest.approx(key.leave) and again.arrive == pytest.approx(key.arrive)


def test_curves_have_room_enough_and_the_picture_keeps_its_own(demo, qtbot) -> None:
    window, time = demo, demo.time_area
    window.resize(1280, 800)
    open_take(window, qtbot, "Step up, right foot first")
    window.session.selection.select_card(window.session.take.steps[1].id)
    qtbot.waitUntil(lambda: time.findings.isVisible())
    time.show_page(time.page.itemData(1))
    qtbot.waitUntil(lambda: not time.findings.isVisible())
    qtbot.waitUntil(lambda: time.curves.height() >= 150 and window.viewport.height() >= 300)
    time.show_page("")
    qtbot.waitUntil(lambda: time.findings.isVisible())


@pytest.mark.parametrize("width, height", [(1024, 600), (853, 533)], ids=["netbook", "1280x800 at 150 %"])
def test_the_window_fits_a_small_screen(demo, qtbot, width: int, height: int) -> None:
    demo.resize(width, height)
    ready(qtbot, demo)
    assert (demo.width(), demo.height()) == (width, height)
    transport = demo.time_area.transport
    assert transport.range_folded
    click(transport.range_button)
    assert transport.first_field.isVisible(), "what is folded away is one click away"
    transport.first_field.setValue(10)
    assert demo.session.computed.range[0] == 10
    demo.resize(1600, 900)
    idle(qtbot, demo)
    assert not transport.range_folded and transport.first_field.isVisible() and transport.clock.isVisible()

"""Whole workflows through the real window; they assert on clips, files and what the panels show."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace as replace_step
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QToolButton

from reflexa.desktop.blend_panel import BlendPanel
from reflexa.desktop.correction_panel import CorrectionPanel
from reflexa.desktop.dialogs import CommandSearch, ImportReport
from reflexa.desktop.handle import HUB, PLATES, SWING
from reflexa.desktop.session import RESULT_CARD, SOURCE_CARD
from reflexa.formats import read
from reflexa.motion import quat
from reflexa.project import store
from reflexa.steps import apply, make
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.correction.layers import merged

from ..conftest import DATA
from .conftest import drag, joint_pixel, ready

LEFT = Qt.MouseButton.LeftButton


def click(widget, at: QPoint | None = None) -> None:
    QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, at or QPoint())


def drop(window, *paths: Path) -> None:
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    window.dropEvent(
        QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, mime, LEFT, Qt.KeyboardModifier.NoModifier)
    )


def import_walk(window, qtbot) -> None:
    drop(window, DATA / "humanoid3d_walk.bvh")
    qtbot.waitUntil(lambda: isinstance(window._dialog, ImportReport), timeout=10_000)
    text = window._dialog.text.toPlainText()
    assert "13 joints" in text and "facing +X" in text and "39 frames" in text
    window._dialog.accept()
    ready(qtbot, window)


def test_a_real_file_from_drop_to_new_clip(empty, qtbot, tmp_path: Path) -> None:
    """Import by dropping, take, mirror, correction by hand, weight, export: the path of the first issue of the product."""
    window, session = empty, empty.session
    source_bytes = (DATA / "humanoid3d_walk.bvh").read_bytes()
    import_walk(window, qtbot)
    assert session.take.name == "humanoid3d_walk" and window.library.clips.count() == 1
    assert (session.folder / "sources" / "humanoid3d_walk.bvh").read_bytes() == source_bytes

    QTest.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    ready(qtbot, window)
    assert [s.kind for s in session.take.steps] == ["mirror"]
    assert "5 by names" in " ".join(label.text() for label in window.settings.findChildren(QLabel))
    expected = apply(make("mirror"), session.source_clip, session.rig)
    assert np.array_equal(session.result.rotations, expected.rotations)

    session.set_frame(20)
    before = session.result
    click(window.viewport, joint_pixel(window, "left_elbow"))
    assert session.joint == "left_elbow"
    handle = window.viewport.handle()
    bead = window.viewport.camera.project(
        handle.bead(2, window.viewport.camera), window.viewport.width(), window.viewport.height()
    )
    start = QPoint(round(bead[0]), round(bead[1]))
    drag(window.viewport, start, start + QPoint(35, 25))
    ready(qtbot, window)
    assert [s.name for s in session.take.steps] == ["Mirror", "Correct left_elbow"], "one drag makes the correction"
    keys = session.correction.track("left_elbow").keys
    assert [(k.frame, k.neutral) for k in keys] == [(8, True), (20, False), (32, True)]
    changed = np.flatnonzero((session.result.rotations != before.rotations).any(axis=(1, 2)))
    assert changed.min() == 9 and changed.max() == 31
    assert not session.preview

    window.commands.run("export")
    dialog = window._dialog
    dialog.folder.setText(str(tmp_path / "out"))
    dialog.name.setText("walk, port")
    dialog.format.setCurrentIndex(dialog.format.findData("glb"))
    dialog.first.setValue(4)
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None, timeout=20_000)
    assert "largest error" in dialog.said.text() and dialog.proof.error_mm < 0.01
    back = read(tmp_path / "out" / "walk, port.glb").clips[0]
    assert back.frames == 35 and back.name == "walk, port"
    assert np.abs(back.model[1] - session.result.model[1][4:]).max() < 1e-5
    manifest = json.loads((tmp_path / "out" / "walk, port.glb.clip.json").read_text())
    assert [s["kind"] for s in manifest["recipe"]["steps"]] == ["mirror", "correction"]
    dialog.start()
    qtbot.waitUntil(lambda: "exists already" in dialog.said.text(), timeout=10_000)
    dialog.reject()
    assert (DATA / "humanoid3d_walk.bvh").read_bytes() == source_bytes


def test_undo_goes_all_the_way_back_to_the_same_bytes(demo, qtbot) -> None:
    session, window = demo.session, demo
    before = {p.name: p.read_bytes() for p in session.folder.rglob("*.json")}
    session.open_take("Step up, right foot first")
    ready(qtbot, window)
    click(window.revision_line.cards[1].name)
    lanes = window.time_area.lanes
    drag(lanes, lanes.key_place("spine_mid", 24), lanes.key_place("spine_mid", 24) + QPoint(60, 0))
    moved = session.correction.track("spine_mid").keys[1].frame
    assert moved > 24, "keys are dragged on whole frames"
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert len(session.correction.track("spine_mid").keys) == 2
    window.revision_line._sliders[1].setValue(40)
    click(window.revision_line._switches[0])
    session.remove_step(0)
    session.delete_take("Walk, chin up")
    session.rename_take("Haul, port side", "Haul")
    ready(qtbot, window)
    assert session.unsaved and "•" in window.windowTitle()
    window._save()
    while session.undo_label():
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    ready(qtbot, window)
    window._save()
    assert {p.name: p.read_bytes() for p in session.folder.rglob("*.json")} == before
    while session.redo_label():
        session.redo()
    assert session.project.take("Haul") is not None


def test_saving_closing_and_opening_again_gives_the_same(demo, qtbot, tmp_path: Path) -> None:
    window, session = demo, demo.session
    session.add_step("correction")
    ready(qtbot, window)
    project, result = session.project, session.result
    assert window.save_to(tmp_path / "kept")
    assert not session.unsaved
    window.new_project()
    assert session.take is None
    window.open_folder(tmp_path / "kept")
    ready(qtbot, window)
    assert session.project == project and np.array_equal(session.result.rotations, result.rotations)


def test_keys_are_selected_boxed_and_shaped(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Lantern to the other hand")
    ready(qtbot, window)
    session.select_card(0)
    lanes = window.time_area.lanes
    first, last = lanes.key_place("upper_arm_right", 64), lanes.key_place("forearm_right", 82)
    drag(lanes, first - QPoint(12, 9), last + QPoint(12, 9))
    assert session.keys == {(j, f) for j in ("upper_arm_right", "forearm_right") for f in (64, 82)}
    window.commands.run("keys_hold")
    assert {k.then for t in session.correction.tracks for k in t.keys if k.frame < 100} == {"hold"}
    click(lanes, lanes.key_place("forearm_right", 82))
    assert session.frame == 82 and session.joint == "forearm_right"
    panel = window.settings.findChild(CorrectionPanel)
    assert panel.fields[0].box.value() == 16.0 and panel.fields[0].box.suffix() == "°"
    panel.fields[4].box.setValue(3.0)
    assert session.correction.track("forearm_right").keys[1].move == (0.0, 0.03, 0.0), (
        "typed centimetres are metres inside"
    )


def test_envelope_points_come_go_and_move(demo, qtbot) -> None:
    window, session = demo, demo.session
    click(window.revision_line.cards[0].name)
    lanes, time = window.time_area.lanes, window.time_area.time

    def at(frame: float, weight: float) -> QPoint:
        return QPoint(round(time.x(frame)), round(lanes._envelope_y(weight)))

    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(10, 0.5))
    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(40, 0.5))
    assert session.step.envelope == ((10.0, 1.0), (40.0, 1.0))
    drag(lanes, at(10, 1.0), at(12, 0.0))
    assert session.step.envelope == ((12.0, 0.0), (40.0, 1.0))
    ready(qtbot, window)
    assert np.array_equal(session.result.rotations[:13], session.source_clip.rotations[:13])
    QTest.mouseDClick(lanes, LEFT, Qt.KeyboardModifier.NoModifier, at(40, 1.0))
    assert len(session.step.envelope) == 1


def test_playing_scrubbing_and_the_range(demo, qtbot) -> None:
    window, session = demo, demo.session
    seen: list[int] = []
    session.playhead_changed.connect(lambda: seen.append(session.frame))
    QTest.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: len(set(seen)) > 5, timeout=10_000)
    assert session.playing
    window.revision_line._sliders[0].setValue(50)
    qtbot.waitUntil(lambda: session.evaluation.take.steps[0].weight == 0.5, timeout=10_000)
    assert session.playing, "weights work while playing"
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert not session.playing
    ruler, time = window.time_area.ruler, window.time_area.time
    click(ruler, QPoint(round(time.x(30)), 35))
    assert session.frame == 30
    QTest.keyClick(window, Qt.Key.Key_Right)
    QTest.keyClick(window, Qt.Key.Key_BracketRight)
    assert session.frame == 31 and session.range == (0, 31)
    drag(ruler, QPoint(round(time.x(0)) - 3, 40), QPoint(round(time.x(8)) - 3, 40))
    assert session.range[0] in (8, 9) and session.take.export.last == 31
    QTest.keyClick(window, Qt.Key.Key_Home)
    assert session.frame == session.range[0]


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
    window.viewport._hover(QPointF(at))
    assert window.viewport.hovered == "shin_left"
    click(window.revision_line.taps[SOURCE_CARD])
    assert session.tap == SOURCE_CARD and session.shown is session.evaluation.clips[0]
    click(window.revision_line.taps[SOURCE_CARD])
    assert session.tap == RESULT_CARD
    window.tabs.setCurrentIndex(1)
    session.select_joint("hand_right")
    assert window.figure.tree.currentItem().text(0) == "hand_right"
    assert "partner hand_left" in window.figure.tree.currentItem().toolTip(0)


def test_cards_are_dragged_into_another_order(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Lantern to the other hand")
    ready(qtbot, window)
    cards = window.revision_line.cards
    by = cards[1].geometry().center() - cards[0].geometry().center()
    drag(cards[0], QPoint(40, 70), QPoint(40, 70) + by + QPoint(30, 0))
    assert [s.name for s in session.take.steps] == ["Other hand", "Lift the lantern"]
    ready(qtbot, window)


def test_masks_from_the_panel(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.select_card(0)
    box = next(b for b in window.settings.findChildren(QComboBox) if b.accessibleName() == "Joints")
    box.setCurrentIndex(box.findText("Left arm"))
    box.activated.emit(box.currentIndex())
    assert session.step.mask.parts == ("left arm",)
    ready(qtbot, window)
    index = session.rig.skeleton.index
    assert np.array_equal(
        session.result.rotations[:, index["thigh_left"]], session.source_clip.rotations[:, index["thigh_left"]]
    )


def test_bad_files_are_refused_with_words_and_nothing_is_copied(empty, qtbot, tmp_path: Path) -> None:
    bad = tmp_path / "broken.glb"
    bad.write_bytes(b"glTF\2\0\0\0")
    drop(empty, bad, DATA / "humanoid3d_run.bvh")
    qtbot.waitUntil(lambda: isinstance(empty._dialog, ImportReport), timeout=10_000)
    text = empty._dialog.text.toPlainText()
    assert "Not imported" in text and "broken.glb" in text and "humanoid3d_run.bvh" in text
    empty._dialog.accept()
    assert [p.name for p in (empty.session.folder / "sources").iterdir()] == ["humanoid3d_run.bvh"]
    ready(qtbot, empty)


def test_a_missing_source_is_shown_and_nothing_else_is_lost(demo, qtbot) -> None:
    folder, count = demo.session.folder, len(demo.session.project.takes)
    (folder / "sources" / "deckhand.glb").unlink()
    demo.open_folder(folder)
    assert demo._dialog is not None and "deckhand.glb" in demo._dialog.text()
    demo._dialog.accept()
    assert len(demo.session.project.takes) == count and demo.session.result is None
    demo.viewport.grab()
    assert store.load(folder) == demo.session.project


def test_a_unit_is_told_and_undone(empty, qtbot) -> None:
    import_walk(empty, qtbot)
    session = empty.session
    height = session.rig.height
    session.set_unit("humanoid3d_walk.bvh", 0.01)
    qtbot.waitUntil(lambda: session.rig.height < 0.1 * height, timeout=10_000)
    ready(qtbot, empty)
    assert session.rig.height == pytest.approx(height / 100)
    session.undo()
    qtbot.waitUntil(lambda: session.rig.height == pytest.approx(height), timeout=10_000)
    ready(qtbot, empty)


def test_every_command_is_found_and_tells_why_it_cannot_run(empty, qtbot) -> None:
    search = CommandSearch(empty.commands, empty)
    qtbot.addWidget(search)
    QTest.keyClicks(search.field, "export")
    texts = [search.found.item(i).text() for i in range(search.found.count())]
    assert any(t.startswith("Export…") and "there is no result yet" in t for t in texts)
    action = empty.commands.action("export")
    assert not action.isEnabled() and action.toolTip() == "there is no result yet"
    shortcuts = [c.shortcut for c in empty.commands if c.shortcut]
    assert len(shortcuts) == len(set(shortcuts))
    assert all(b.accessibleName() for b in empty.viewport.buttons.values())
    for button in empty.time_area.findChildren(QToolButton):
        assert button.accessibleName() or button.text()


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080)])
def test_the_layout_holds(demo, qtbot, size) -> None:
    demo.resize(*size)
    qtbot.waitUntil(lambda: demo.width() == size[0], timeout=5000)
    assert demo.viewport.width() > 0.5 * size[0] and demo.viewport.height() > 0.45 * size[1]
    bar = demo.viewport.tool_bar.geometry()
    assert demo.viewport.rect().contains(bar) and not bar.intersects(demo.viewport.compare_bar.geometry())
    page = demo.settings._scroll.widget()
    assert page.minimumSizeHint().width() <= demo.settings._scroll.viewport().width(), "no setting is cut off"


def test_a_pulled_hand_takes_its_arm_along_and_a_pulled_pelvis_leaves_the_feet(demo, qtbot) -> None:
    """One drag each: a correction, its key, its neutral keys; the bones keep their lengths, the soles their place."""
    session, view = demo.session, demo.viewport
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    session.set_frame(16)
    for joint, by in (("hand_left", (30, -40)), ("pelvis", (6, 14))):
        before = session.result
        session.select_joint(joint)
        handle = view.handle()
        assert handle.moves
        at = view.camera.project(handle.centre, view.width(), view.height())
        start = QPoint(round(at[0]), round(at[1]))
        drag(view, start, QPoint(start.x() + by[0], start.y() + by[1]))
        ready(qtbot, demo)
        index = session.rig.skeleton.index
        move = session.correction.track(joint).keys
        key = next(k for k in move if k.frame == 16)
        moved = session.result.model[1][16] - before.model[1][16]
        assert np.abs(moved[index[joint]] - key.move).max() < 1e-3 and np.linalg.norm(key.move) > 0.02
        pixel = view.camera.pixel_size(handle.centre, view.height())
        assert np.linalg.norm(key.move) == pytest.approx(np.hypot(*by) * pixel, rel=0.05), (
            "it goes where the pointer goes"
        )
        assert np.array_equal(session.result.rotations[0], before.rotations[0])
        if joint == "hand_left":
            assert np.abs(moved[index["clavicle_left"]]).max() == 0
        else:
            assert np.abs(moved[[index["foot_left"], index["foot_right"]]]).max() < 1e-4
    assert len(session.take.steps) == 1 and [t.drives for t in session.correction.tracks] == ["limb", "body"]
    QTest.keyClick(view, Qt.Key.Key_Escape)
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert not session.take.steps


def test_a_clip_is_blended_over_an_arm_slid_by_hand_and_taken_from_another_take(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    demo.commands.run("add_blend")
    qtbot.waitUntil(lambda: bool(session.problem))
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
    index = session.rig.skeleton.index
    source = session.evaluation.clips[0]
    assert np.array_equal(session.result.rotations[:, index["shin_left"]], source.rotations[:, index["shin_left"]])
    assert not np.allclose(
        session.result.rotations[:, index["forearm_right"]], source.rotations[:, index["forearm_right"]]
    )
    strips = demo.settings.findChild(BlendPanel).strips
    before = session.result
    drag(strips, QPoint(60, 48), QPoint(60 + round(strips.width() / 4), 48))
    ready(qtbot, demo)
    assert session.step.settings.shift == pytest.approx(8, abs=1)
    assert not np.allclose(session.result.rotations, before.rotations)
    session.undo()
    ready(qtbot, demo)
    assert session.step.settings.shift == 0, "a slide is one undo"
    names = [box.itemData(i) for i in range(box.count())]
    box.setCurrentIndex(names.index("take:Walk, chin up"))
    box.activated.emit(box.currentIndex())
    ready(qtbot, demo)
    assert "33 frames" in demo.settings.findChild(BlendPanel).summary.text()
    demo.viewport.grab()
    strips.grab()


def test_keys_are_copied_mirrored_nudged_scaled_thinned_and_undone(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    session.select_card(1)
    before = session.take
    demo.commands.run("select_keys")
    count = len(session.keys)
    assert count == 3
    demo.commands.run("copy_keys")
    session.set_frame(42)
    demo.commands.run("paste_keys")
    assert len(session.correction.track("spine_mid").keys) == 2 * count and len(session.keys) == count
    demo.commands.run("nudge_later")
    demo.commands.run("nudge_later")
    assert min(f for _, f in session.keys) == 44
    demo.keys.scale(0.5)
    demo.keys.stretch(10)
    frames = sorted(f for _, f in session.keys)
    assert frames[-1] - frames[0] == 10
    session.select_joint("hand_left")
    session.select_card(-2)
    session.set_frame(20)
    demo.commands.run("paste_mirrored")
    assert session.step.name == "Pasted keys" and session.correction.track("spine_mid").keys[0].frame == 20
    while session.take != before:
        session.undo()
    ready(qtbot, demo)
    assert len(session.take.steps) == 2


def test_layers_are_split_and_merged_and_undone_exactly(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Walk, chin up")
    ready(qtbot, demo)
    session.select_card(0)
    result = session.result
    session.select_joint("head")
    demo.commands.run("split_layer")
    ready(qtbot, demo)
    assert [s.name for s in session.take.steps] == ["Chin up", "Chin up: head"]
    assert np.abs(session.result.rotations - result.rotations).max() < 1e-12
    session.select_card(1)
    split = session.take
    below, above, at = demo.keys._change(2)
    found = merged(below, above, at)
    assert found.keys <= 4 and found.degrees < 0.5
    demo.keys.merge(found)
    ready(qtbot, demo)
    assert len(session.take.steps) == 1 and session.card == 0
    turn = np.degrees(quat.angle(quat.multiply(quat.conjugate(session.result.rotations), result.rotations)))
    assert turn.max() < 0.5
    session.undo()
    ready(qtbot, demo)
    assert session.take == split


def test_a_day_of_layers_and_all_of_it_undone_to_the_same_bytes(demo, qtbot, tmp_path: Path) -> None:
    """Handles dragged (limb, its elbow, a plate, where the head looks), keys boxed, scaled and eased, copied to another
    clip, layers merged; then everything undone: the saved files are what they were, byte for byte."""
    session, view = demo.session, demo.viewport
    before = {p: p.read_bytes() for p in session.folder.rglob("*") if p.is_file()}
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    session.set_frame(16)

    def pull(joint: str, part: int, by: tuple[int, int]) -> None:
        session.select_joint(joint)
        ready(qtbot, demo)
        handle = view.handle()
        place = {HUB: handle.hub, SWING: handle.bend[1] if handle.bend is not None else None}
        place |= {PLATES + a: handle.plate(a) for a in range(3)}
        x, y, _ = view.camera.project(place[part], view.width(), view.height())
        assert handle.at(x, y, view.camera, view.width(), view.height()) == part
        drag(view, QPoint(round(x), round(y)), QPoint(round(x) + by[0], round(y) + by[1]))
        ready(qtbot, demo)

    pull("hand_left", HUB, (30, -30))
    pull("hand_left", SWING, (0, -30))
    assert session.correction.track("hand_left").keys[1].swing != 0
    pull("hand_left", PLATES + 1, (20, 6))
    key = session.correction.track("hand_left").keys[1]
    pull("head", HUB, (40, 10))
    head = session.correction.track("head")
    assert head.drives == "aim" and np.linalg.norm(head.keys[1].move) > 0.02 and key.frame == 16

    lanes = demo.time_area.lanes
    a, b = lanes.key_place("hand_left", 4), lanes.key_place("head", 28)
    drag(lanes, QPoint(a.x() - 12, a.y() - 9), QPoint(b.x() + 12, b.y() + 9))
    assert len(session.keys) == 6
    demo.keys.scale(0.5)
    assert {f for _, f in session.keys} == {10, 16, 22}
    demo.commands.run("ease_overshoot_and_settle")
    assert {k.then for k in session.correction.track("head").keys} >= {"eased"}
    demo.commands.run("copy_keys")
    session.open_take("Lantern to the other hand")
    ready(qtbot, demo)
    session.card = RESULT_CARD
    session.set_frame(30)
    demo.commands.run("paste_keys")
    ready(qtbot, demo)
    assert {f for _, f in session.keys} == {30, 36, 42}
    session.add_step("correction", "Spine")
    ready(qtbot, demo)
    session.select_joint("spine_01" if "spine_01" in session.rig.skeleton.index else "pelvis")
    ready(qtbot, demo)
    wanted = session.result
    below, above, at = demo.keys._change(2)
    demo.keys.merge(merged(below, above, at, 0.5, 1.0))
    ready(qtbot, demo)
    gap = np.degrees(quat.angle(quat.multiply(quat.conjugate(session.result.rotations), wanted.rotations)))
    assert gap.max() < 0.55

    demo._save()
    while session.undo_label():
        session.undo()
    ready(qtbot, demo)
    demo._save()
    assert {p: p.read_bytes() for p in session.folder.rglob("*") if p.is_file()} == before


def test_the_motion_of_an_arm_is_taken_out_weakened_and_replaced_by_hand(demo, qtbot) -> None:
    """Extracting changes nothing by itself; the motion has a weight of its own then, and the layer under it a pose."""
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    before, result = session.take, session.result
    session.select_card(RESULT_CARD)
    session.select_joint("upper_arm_left")
    demo.commands.run("extract_below")
    ready(qtbot, demo)
    assert [s.name for s in session.take.steps[-2:]] == ["Hold upper_arm_left", "Motion of upper_arm_left"]
    turn = quat.angle(quat.multiply(quat.conjugate(session.result.rotations), result.rotations))
    assert turn.max() < 1e-9 and np.abs(session.result.translations - result.translations).max() < 1e-9
    hold = len(session.take.steps) - 2
    card = demo.revision_line.cards[hold]
    assert any(label.text() == "replaces what is below" for label in card.findChildren(QLabel))
    session.edit_step("off", replace_step(session.step, on=False))
    ready(qtbot, demo)
    j = session.rig.skeleton.index["forearm_left"]
    assert np.ptp(session.result.rotations[:, j], axis=0).max() < 1e-12, "held still"

    # In a layer that replaces, the first pull of a joint begins at what is seen, and sets no neutral keys.
    session.select_card(hold)
    session.set_frame(12)
    session.select_joint("neck")
    panel = demo.settings.findChild(CorrectionPanel)
    seen = session.evaluation.clips[hold].rotations[12, session.rig.skeleton.index["neck"]]
    box = panel.fields[3].box
    assert box.value() == pytest.approx(0.0, abs=1e-6), "the neck is where its rest pose puts it, and turned"
    panel.fields[0].box.setValue(panel.fields[0].box.value() + 5.0)
    ready(qtbot, demo)
    assert [k.frame for k in session.correction.track("neck").keys] == [12]
    off = quat.angle(
        quat.multiply(quat.conjugate(seen), session.result.rotations[12, session.rig.skeleton.index["neck"]])
    )
    assert np.degrees(off) == pytest.approx(5.0, abs=1.0)
    while session.take != before:
        session.undo()
    ready(qtbot, demo)
    assert np.array_equal(session.result.rotations, result.rotations)


def test_a_key_sheet_full_of_keys_is_drawn_as_ticks_and_still_taken_by_hand(demo, qtbot) -> None:
    """Keys closer than their shapes are ticks; zoomed in they have shapes again, in the same places."""
    session, lanes, time = demo.session, demo.time_area.lanes, demo.time_area.time
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    session.add_step("correction")
    ready(qtbot, demo)
    keys = tuple(Key(f, (float(f % 7), 0.0, 0.0)) for f in range(session.frames))
    session.edit_correction("fill", CorrectionSettings(tracks=(Track("head", keys), Track("neck", keys[::20]))))
    ready(qtbot, demo)
    time.last = time.first + 160.0  # out beyond what a wheel allows, as on a long clip
    row, other = lanes._rows()
    assert lanes._dense(row) and not lanes._dense(other)
    lanes.grab()
    time.show_all()
    time.zoom(0.2, time.x(30))
    assert not lanes._dense(row)
    lanes.grab()
    click(lanes, lanes.key_place("head", 31))
    assert session.keys == {("head", 31)} and session.joint == "head"
    drag(lanes, lanes.key_place("neck", 40), lanes.key_place("neck", 43))
    ready(qtbot, demo)
    assert [k.frame for k in session.correction.track("neck").keys] == [0, 20, 43, 60]


def test_a_curve_is_shaped_by_hand_and_the_result_can_be_judged(demo, qtbot) -> None:
    session, curves = demo.session, demo.time_area.curves
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    session.select_card(1)
    session.select_joint("spine_mid")
    demo.commands.run("page_turn")
    demo.time_area.repaint()
    curves.grab()
    key = next(k for k in session.correction.track("spine_mid").keys if k.frame == 24)
    start = QPoint(round(curves.time.x(24)), round(curves.y(key.rotate[0], 0)))
    step = curves.time.frame_width()
    end = QPoint(round(curves.time.x(27)), round(curves.y(key.rotate[0] - 3.0, 0)))
    drag(curves, start, end)
    ready(qtbot, demo)
    moved = session.correction.track("spine_mid").keys
    now = next(k for k in moved if k.frame == 27)
    assert (
        now.rotate[0] == pytest.approx(key.rotate[0] - 3.0, abs=0.4) and now.rotate[1:] == key.rotate[1:] and step > 1
    )
    assert all(k.frame != 24 for k in moved)
    session.undo()
    assert next(k for k in session.correction.track("spine_mid").keys if k.frame == 24) == key, "a drag is one undo"
    demo.commands.run("page_place")
    values = curves.curve()
    assert values[10] == pytest.approx(100 * session.shown.model[1][10, session.rig.skeleton.index["spine_mid"]])
    assert curves.key_at(QPointF(start)) is None, "what comes out is only looked at"
    demo.commands.run("page_angles")
    assert curves.curve().shape == (76, 3)
    session.select_joint("head")
    demo.commands.run("page_move")
    assert "no keys" in curves.why_empty()
    demo.commands.run("page_keys")
    assert demo.time_area.pages.currentIndex() == 0


def test_ghosts_and_trail_are_drawn_where_the_figure_goes(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Walk, chin up")
    ready(qtbot, demo)
    session.set_frame(12)
    session.select_joint("foot_left")
    plain = len(view.scene().lines)
    view.buttons["ghosts"].click()
    assert len(view.scene().lines) == plain + 4
    view.buttons["trail"].click()
    lines = view.scene().lines
    assert len(lines) == plain + 6
    way = next(line for line in lines if len(line.ends) == session.frames - 1)
    here = view.figures()[0].placed[session.rig.skeleton.index["foot_left"]]
    assert np.abs(way.ends[12, 0] - here).max() < 1e-9, "the trail runs through the joint"
    session.set_frame(0)
    assert len(view.scene().lines) == plain + 4, "there is nothing before the first frame"
    view.grab()


def test_what_is_compared_can_be_the_step_alone_or_another_take(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    session.select_card(1)
    view.setFocus()
    QTest.keyPress(demo, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    (shown,) = view.figures()
    assert shown.clip is session.evaluation.clips[1] and "before Lean into it" in view._caption()
    QTest.keyRelease(demo, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyPress(demo, Qt.Key.Key_B)
    assert view.figures()[0].clip is session.evaluation.clips[0]
    QTest.keyRelease(demo, Qt.Key.Key_B)
    assert view.figures()[0].clip is session.result
    demo.library.compare_wanted.emit("Walk, as the Ferrykeeper")
    after, other = view.figures()
    assert view.compare == "Side by side" and other.rig.skeleton.names[0] == "Base" and after.clip is session.result
    view.grab()
    demo.library.compare_wanted.emit("")
    assert view.figures()[1].clip is session.evaluation.clips[0]


def test_a_step_is_shown_alone_and_locked(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    session.select_card(1)
    both = session.result
    demo.commands.run("solo_step")
    ready(qtbot, demo)
    assert session.evaluation.clips[1] is session.evaluation.clips[0], "the mirror is off"
    assert not np.array_equal(session.result.rotations, both.rotations) and not session.unsaved
    assert session.take.steps[0].on, "looking changes nothing"
    demo.commands.run("solo_step")
    ready(qtbot, demo)
    assert np.array_equal(session.result.rotations, both.rotations)
    demo.commands.run("lock_step")
    locked = session.take
    assert locked.steps[1].locked and "locked" in demo.revision_line.cards[1].name.text()
    session.edit_step("set weight", replace_step(session.step, weight=0.2))
    assert session.take == locked
    demo.commands.run("lock_step")
    session.edit_step("set weight", replace_step(session.step, weight=0.2))
    assert session.step.weight == 0.2


def test_a_mask_is_painted_in_the_picture_and_mirrored(demo, qtbot) -> None:
    session, view = demo.session, demo.viewport
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    session.select_card(0)
    paint = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Paint it")
    QTest.mouseClick(paint, Qt.MouseButton.LeftButton)
    assert session.painting and view.handle() is None
    plain = view.figures()[0].colours
    at = joint_pixel(demo, "thigh_left")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at)
    ready(qtbot, demo)
    below = [
        session.rig.skeleton.names[j] for j in session.rig.skeleton.below(session.rig.skeleton.index["thigh_left"])
    ]
    assert set(session.step.mask.joints) == set(below)
    assert not np.allclose(view.figures()[0].colours, plain), "the weights are seen on the figure"
    demo.tabs.setCurrentIndex(1)
    demo.figure.tree.itemClicked.emit(demo.figure._items["toes_left"], 0)
    ready(qtbot, demo)
    assert set(session.step.mask.joints) == set(below) - {"toes_left"}
    mirror = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Mirror it")
    QTest.mouseClick(mirror, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert set(session.step.mask.joints) == {"thigh_right", "shin_right", "foot_right"}
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert session.step.mask is None


def test_keys_are_thinned_beside_the_interface_and_only_where_nothing_else_was_done(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    session.add_step("correction")
    full = CorrectionSettings(tracks=(Track("head", tuple(Key(f, (0.2 * f, 0.0, 0.0)) for f in range(40))),))
    session.edit_correction("fill", full)
    ready(qtbot, demo)
    demo.keys.thin(0.5)
    session.undo()  # quicker than the thinning
    qtbot.waitUntil(lambda: not session.busy)
    ready(qtbot, demo)
    assert session.correction == CorrectionSettings()
    session.redo()
    ready(qtbot, demo)
    demo.keys.thin(0.5)
    qtbot.waitUntil(lambda: session.correction != full, timeout=5_000)
    keys = session.correction.track("head").keys
    assert 2 <= len(keys) < 10 and (keys[0].frame, keys[-1].frame) == (0, 39)
    session.undo()
    assert session.correction == full


def test_a_layer_that_replaces_says_what_it_does_in_its_panel(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    session.add_step("correction")
    ready(qtbot, demo)
    session.select_joint("neck")
    panel = demo.settings.findChild(CorrectionPanel)
    assert panel.drives.isEnabled() and panel.neutral.text() == "Neutral here"
    session.edit_correction("replace", CorrectionSettings(how="replace"))
    ready(qtbot, demo)
    panel = demo.settings.findChild(CorrectionPanel)
    assert not panel.drives.isEnabled() and "each joint alone" in panel.drives.toolTip()
    click(panel.neutral)
    ready(qtbot, demo)
    j = session.rig.skeleton.index["neck"]
    assert panel.neutral.text() == "Rest here"
    assert np.array_equal(session.result.rotations[:, j], np.tile(session.rig.skeleton.rest_rotations[j], (73, 1)))

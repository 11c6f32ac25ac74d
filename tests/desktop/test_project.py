"""Projects and files: import, save, open, export, undo to the same bytes."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from reflexa.desktop.actions import files
from reflexa.desktop.dialogs.import_report import ImportReport
from reflexa.desktop.look import theme
from reflexa.formats import read
from reflexa.project import store
from reflexa.session import line, takes
from reflexa.steps import apply, make
from tests.helpers.files import DATA
from tests.helpers.hands import click, drag, drop
from tests.helpers.windows import card, import_walk, joint_pixel, painted, ready, share_of, step_id


def test_a_real_file_from_drop_to_new_clip(empty, qtbot, tmp_path: Path) -> None:
    """Import by dropping, take, mirror, correction by hand, weight, export: the path of the first issue of the product."""
    window, session = empty, empty.session
    source_bytes = (DATA / "humanoid3d_walk.bvh").read_bytes()
    import_walk(window, qtbot)
    assert session.take.name == "humanoid3d_walk" and window.clip_panel.clips.count() == 1
    assert (session.folder / "sources" / "humanoid3d_walk.bvh").read_bytes() == source_bytes

    QTest.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    ready(qtbot, window)
    assert [s.kind for s in session.take.steps] == ["mirror"]
    assert "5 by names" in " ".join(label.text() for label in window.settings.findChildren(QLabel))
    expected = apply(make("mirror"), session.computed.evaluation.clips[0], session.computed.rig)
    assert np.array_equal(session.computed.result.rotations, expected.rotations)

    session.player.set_frame(20)
    before = session.computed.result
    click(window.viewport, joint_pixel(window, "left_elbow"))
    assert session.selection.joint == "left_elbow"
    handle = window.viewport.handle()
    bead = window.viewport.camera.project(
        handle.bead(2, window.viewport.camera), window.viewport.width(), window.viewport.height()
    )
    start = QPoint(round(bead[0]), round(bead[1]))
    drag(window.viewport, start, start + QPoint(35, 25))
    ready(qtbot, window)
    assert [s.name for s in session.take.steps] == ["Mirror", "Correct left_elbow"], "one drag makes the correction"
    keys = session.layer.track("left_elbow").keys
    assert [(k.frame, k.neutral) for k in keys] == [(8, True), (20, False), (32, True)]
    changed = np.flatnonzero((session.computed.result.rotations != before.rotations).any(axis=(1, 2)))
    assert changed.min() == 9 and changed.max() == 31
    assert not session.evaluator.preview

    window.commands.run("export")
    dialog = window.desk.dialog
    dialog.place.field.setText(str(tmp_path / "out"))
    dialog.name.setText("walk, port")
    dialog.format.setCurrentIndex(dialog.format.findData("glb"))
    dialog.first.setValue(4)
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None)
    assert "largest error" in dialog.said.text() and dialog.proof.error_mm < 0.01
    back = read(tmp_path / "out" / "walk, port.glb").clips[0]
    assert back.frames == 35 and back.name == "walk, port"
    assert np.abs(back.model[1] - session.computed.result.model[1][4:]).max() < 1e-5
    manifest = json.loads((tmp_path / "out" / "walk, port.glb.clip.json").read_text())
    assert [s["kind"] for s in manifest["recipe"]["steps"]] == ["mirror", "correction"]
    dialog.start()
    qtbot.waitUntil(lambda: "exists already" in dialog.said.text())
    dialog.reject()
    assert (DATA / "humanoid3d_walk.bvh").read_bytes() == source_bytes


@pytest.mark.long
def test_undo_goes_all_the_way_back_to_the_same_bytes(demo, qtbot) -> None:
    session, window = demo.session, demo
    before = {p.name: p.read_bytes() for p in session.folder.rglob("*.json")}
    session.open_take("Step up, right foot first")
    ready(qtbot, window)
    click(card(window, 1).name)
    lanes = window.time_area.keys
    drag(lanes, lanes.key_place("spine_mid", 24), lanes.key_place("spine_mid", 24) + QPoint(60, 0))
    moved = session.layer.track("spine_mid").keys[1].frame
    assert moved > 24, "keys are dragged on whole frames"
    QTest.keyClick(lanes, Qt.Key.Key_Delete)
    assert len(session.layer.track("spine_mid").keys) == 2
    card(window, 1).slider.setValue(40)
    click(card(window, 0).switch)
    line.remove(session, step_id(demo, 0))
    takes.delete(session, "Walk, chin up")
    takes.rename(session, "Haul, port side", "Haul")
    ready(qtbot, window)
    assert session.history.unsaved and "•" in window.windowTitle()
    files.save(window.desk)
    while session.history.undo_label:
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    ready(qtbot, window)
    files.save(window.desk)
    assert {p.name: p.read_bytes() for p in session.folder.rglob("*.json")} == before
    while session.history.redo_label:
        session.redo()
    assert session.project.take("Haul") is not None


def test_saving_closing_and_opening_again_gives_the_same(demo, qtbot, tmp_path: Path) -> None:
    window, session = demo, demo.session
    line.add(session, "correction")
    ready(qtbot, window)
    project, result = session.project, session.computed.result
    assert files.save_to(window.desk, tmp_path / "kept")
    assert not session.history.unsaved
    window.commands.run("new")
    assert session.take is None
    files.open_folder(window.desk, tmp_path / "kept")
    ready(qtbot, window)
    assert session.project == project and np.array_equal(session.computed.result.rotations, result.rotations)


def test_bad_files_are_refused_with_words_and_nothing_is_copied(empty, qtbot, tmp_path: Path) -> None:
    bad = tmp_path / "broken.glb"
    bad.write_bytes(b"glTF\2\0\0\0")
    drop(empty, bad, DATA / "humanoid3d_run.bvh")
    qtbot.waitUntil(lambda: isinstance(empty.desk.dialog, ImportReport))
    text = empty.desk.dialog.text.toPlainText()
    assert "Not imported" in text and "broken.glb" in text and "humanoid3d_run.bvh" in text
    empty.desk.dialog.accept()
    assert [p.name for p in (empty.session.folder / "sources").iterdir()] == ["humanoid3d_run.bvh"]
    ready(qtbot, empty)


def test_a_missing_source_is_shown_and_nothing_else_is_lost(demo, qtbot) -> None:
    folder, count = demo.session.folder, len(demo.session.project.takes)
    (folder / "sources" / "deckhand.glb").unlink()
    files.open_folder(demo.desk, folder)
    assert demo.desk.dialog is not None and "deckhand.glb" in demo.desk.dialog.text()
    demo.desk.dialog.accept()
    assert len(demo.session.project.takes) == count and demo.session.computed.result is None
    assert share_of(painted(demo.viewport), theme.current().colour("warn")) > 0.0005, "the picture says what is missing"
    assert store.load(folder) == demo.session.project


def test_a_unit_is_told_and_undone(empty, qtbot) -> None:
    import_walk(empty, qtbot)
    session = empty.session
    height = session.computed.rig.height
    takes.set_unit(session, "humanoid3d_walk.bvh", 0.01)
    qtbot.waitUntil(lambda: session.computed.rig.height < 0.1 * height)
    ready(qtbot, empty)
    assert session.computed.rig.height == pytest.approx(height / 100)
    session.undo()
    qtbot.waitUntil(lambda: session.computed.rig.height == pytest.approx(height))
    ready(qtbot, empty)


@pytest.mark.parametrize("facing", ["-X", "+Z"])
def test_a_wrong_facing_is_told(empty, qtbot, facing: str) -> None:
    files.import_paths(empty.desk, [DATA / "humanoid3d_walk.bvh"])
    qtbot.waitUntil(lambda: empty.desk.dialog is not None and empty.desk.dialog.isVisible())
    empty.desk.dialog.accept()
    ready(qtbot, empty)
    session = empty.session
    takes.set_facing(session, "humanoid3d_walk.bvh", facing)
    qtbot.waitUntil(lambda: session.sources.documents["humanoid3d_walk.bvh"].frame.facing == facing)
    ready(qtbot, empty)
    assert session.computed.rig.facing_found_by == "told"
    session.undo()
    qtbot.waitUntil(lambda: session.sources.documents["humanoid3d_walk.bvh"].frame.facing == "+X")
    ready(qtbot, empty)


def test_clips_are_mirrored_in_one_go_and_all_takes_exported(demo, qtbot, tmp_path: Path) -> None:
    session, clips = demo.session, demo.clip_panel.clips
    count = len(session.project.takes)
    QTest.mouseClick(clips.viewport(), Qt.MouseButton.LeftButton, pos=clips.visualItemRect(clips.item(0)).center())
    for row in (1, 2):
        clips.scrollToItem(clips.item(row))
        at = clips.visualItemRect(clips.item(row)).center()
        QTest.mouseClick(clips.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    assert demo.clip_panel.take_button.text() == "Make 3 takes"
    demo.commands.run("make_mirror")
    ready(qtbot, demo)
    made = session.project.takes[count:]
    assert [t.name for t in made] == ["walk, mirror", "walk on the spot, mirror", "lantern idle, mirror"]
    assert all(t.steps[0].kind == "mirror" for t in made)
    demo.commands.run("export_takes")
    dialog = demo.desk.dialog
    for i in range(count):
        dialog.list.item(i).setCheckState(Qt.CheckState.Unchecked)
    dialog.place.field.setText(str(tmp_path / "out"))
    dialog.start()
    qtbot.waitUntil(lambda: "3 of 3 written" in dialog.said.text())
    assert sorted(p.name for p in (tmp_path / "out").glob("*.glb")) == sorted(f"{t.name}.glb" for t in made)
    dialog.start()
    qtbot.waitUntil(lambda: "0 of 3 written" in dialog.said.text())
    assert "exists already" in dialog.list.item(count).text()
    dialog.reject()
    session.undo()
    ready(qtbot, demo)
    assert len(session.project.takes) == count, "all three go in one undo"


def test_a_loop_is_exported_several_times_over(demo, qtbot, tmp_path: Path) -> None:
    window, session = demo, demo.session
    session.open_take("Walk, travel from its feet")
    ready(qtbot, window)
    window.commands.run("export")
    dialog = window.desk.dialog
    dialog.place.field.setText(str(tmp_path))
    dialog.cycles.setValue(3)
    assert dialog.length.text().startswith("97 frames")
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None)
    dialog.reject()
    clip = read(dialog.proof.path).clips[0]
    root = clip.model[1][:, clip.skeleton.index["root"], 2]
    assert clip.frames == 97 and root[-1] == pytest.approx(3 * root[32], abs=1e-4)
    manifest = json.loads(dialog.proof.manifest.read_text())
    assert manifest["root_motion"]["mode"] == "from feet" and session.take.export.cycles == 3
